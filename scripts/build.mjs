// Bundles src/ into dist/: one small entry that starts at once, and chunks that a command loads when it needs them.
import { build } from 'esbuild';
import { createHash } from 'node:crypto';
import mime from 'mime-types';
import { chmodSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

// Two libraries do work at every start that a command-line tool can do once, when it is built.
const atStart = {
  name: 'at-start',
  setup({ onResolve, onLoad }) {
    // The media-type database, as the library would lay it out by extension each time.
    onResolve({ filter: /^mime-types$/ }, () => ({ path: 'mime-types', namespace: 'built' }));
    onLoad({ filter: /^mime-types$/, namespace: 'built' }, () => ({
      contents: `export default { types: JSON.parse(${JSON.stringify(JSON.stringify(mime.types))}) };`,
    }));
    // Help texts are plain words: measuring them needs none of the tables for emoji and wide letters.
    onResolve({ filter: /^string-width$/ }, ({ importer }) =>
      /node_modules\/(?:yargs|cliui|wrap-ansi)\//.test(importer)
        ? { path: 'string-width', namespace: 'built' }
        : undefined,
    );
    onLoad({ filter: /^string-width$/, namespace: 'built' }, () => ({
      contents:
        "import { stripVTControlCharacters } from 'node:util'; export default (text) => stripVTControlCharacters(String(text)).length;",
    }));
  },
};

/** Changes whenever the sources or the libraries do. */
function stamp() {
  const hash = createHash('sha256');
  for (const entry of readdirSync('src', { recursive: true, withFileTypes: true })) {
    if (entry.isFile()) hash.update(entry.name).update(readFileSync(join(entry.parentPath, entry.name)));
  }
  return hash.update(readFileSync('package-lock.json')).digest('hex').slice(0, 16);
}

const staging = `dist.${process.pid}.new`;
rmSync(staging, { recursive: true, force: true });
mkdirSync(staging);
const { metafile } = await build({
  entryPoints: {
    fenestra: 'src/cli/main.ts',
    'learn-worker': 'src/disk/learn-worker.ts',
    reference: 'src/cli/reference.ts',
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
  external: ['lmdb'],
  chunkNames: 'chunks/[name]-[hash]',
  metafile: true,
  plugins: [atStart],
  banner: {
    js: "import{createRequire as fenestraCreateRequire}from'node:module';const require=fenestraCreateRequire(import.meta.url);",
  },
});
// The licences of what is bundled travel with the bundle.
const packages = new Set(['node_modules/mime-types', 'node_modules/mime-db']);
for (const file of Object.keys(metafile.inputs)) {
  const found = /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(file)?.[1];
  if (found) packages.add(found);
}
const texts = [...packages].sort().map((folder) => {
  const { name, version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
  const file = readdirSync(folder).find((each) => /^licen[cs]e/i.test(each));
  return `${name} ${version} (${license})\n\n${file ? readFileSync(join(folder, file), 'utf8').trim() : ''}\n`;
});
writeFileSync(join(staging, 'licences.txt'), texts.join('\n----------------------------------------\n\n'));
chmodSync(join(staging, 'fenestra.js'), 0o755);
rmSync('dist', { recursive: true, force: true });
renameSync(staging, 'dist');
