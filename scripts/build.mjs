// Bundles src/ into dist/: one small entry that starts at once, and chunks that a command loads when it needs them.
// No library's text is changed on the way.
import { build } from 'esbuild';
import { createHash } from 'node:crypto';
import { chmodSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const { dependencies } = JSON.parse(readFileSync('package.json', 'utf8'));
const staging = `dist.${process.pid}.new`;
rmSync(staging, { recursive: true, force: true });
mkdirSync(staging);
// A build that fails leaves nothing behind.
process.on('exit', () => rmSync(staging, { recursive: true, force: true }));
const { metafile } = await build({
  entryPoints: {
    fenestra: 'src/cli/main.ts',
    'fingerprint-worker': 'src/disk/fingerprint-worker.ts',
    'probe-worker': 'src/endpoint/probe-worker.ts',
    reference: 'src/cli/reference.ts',
    'in-process': 'src/cli/in-process.ts',
    index: 'src/library/index.ts',
    'store-contract': 'src/stores/contract/contract.ts',
  },
  outdir: staging,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  minify: true,
  define: { FENESTRA_BUILD: JSON.stringify(stamp()) },
  legalComments: 'none',
  // They have native parts beside them, or make code from text at run time.
  external: Object.keys(dependencies),
  chunkNames: 'chunks/[name]-[hash]',
  metafile: true,
  // Libraries in the older form of modules ask for those of Node.js, and nothing else, by `require`.
  banner: { js: 'const require=(id)=>process.getBuiltinModule(id);' },
});
// Node.js looks for it above each chunk.
writeFileSync(join(staging, 'chunks', 'package.json'), '{"type":"module"}\n');
writeFileSync(join(staging, 'licences.txt'), licences(Object.keys(metafile.inputs)));
chmodSync(join(staging, 'fenestra.js'), 0o755);
rmSync('dist', { recursive: true, force: true });
renameSync(staging, 'dist');

/** Changes whenever the sources or the libraries do. */
function stamp() {
  const hash = createHash('sha256');
  for (const entry of readdirSync('src', { recursive: true, withFileTypes: true })) {
    if (entry.isFile()) hash.update(entry.name).update(readFileSync(join(entry.parentPath, entry.name)));
  }
  return hash.update(readFileSync('package-lock.json')).digest('hex').slice(0, 16);
}

/** The licences of what is bundled travel with the bundle. */
function licences(files) {
  const packages = new Set(
    files.flatMap((file) => /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(file)?.[1] ?? []),
  );
  const texts = [...packages].sort().map((folder) => {
    const { name, version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
    const file = readdirSync(folder).find((each) => /^licen[cs]e/i.test(each));
    return `${name} ${version} (${license})\n\n${file ? readFileSync(join(folder, file), 'utf8').trim() : ''}\n`;
  });
  return texts.join('\n----------------------------------------\n\n');
}
