// Bundles src/ into dist/: one small entry that starts at once, and chunks that a command loads when it needs them.
import { build } from 'esbuild';
import { createHash } from 'node:crypto';
import mime from 'mime-types';
import { chmodSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { cacheCode } from './code-cache.mjs';

// Some libraries do work at every start that a command-line tool can do once, when it is built.
const NATIVE = `
module.exports = () => {
  const own = 'node.abi' + process.versions.modules;
  for (const file of [own + '.glibc.node', own + '.musl.node', own + '.node', 'node.napi.glibc.node', 'node.napi.musl.node', 'node.napi.node']) {
    try {
      return fenestraRequire('@lmdb/lmdb-' + process.platform + '-' + process.arch + '/' + file);
    } catch {
      // Another C library, or another platform.
    }
  }
  const { dirname } = fenestraRequire('node:path');
  return fenestraRequire('node-gyp-build-optional-packages')(dirname(fenestraRequire.resolve('lmdb/package.json')));
};`;

const ASSERT = `
const fail = (message) => {
  throw message instanceof Error ? message : new Error(message);
};
export const strictEqual = (a, b, message) => void (Object.is(a, b) || fail(message));
export const notStrictEqual = (a, b, message) => void (Object.is(a, b) && fail(message));
`;

const atStart = {
  name: 'at-start',
  setup({ onResolve, onLoad }) {
    // The media-type database, as the library would lay it out by extension each time.
    onResolve({ filter: /^mime-types$/ }, () => ({ path: 'mime-types', namespace: 'built' }));
    onLoad({ filter: /^mime-types$/, namespace: 'built' }, () => ({
      contents: `export default { types: JSON.parse(${JSON.stringify(JSON.stringify(mime.types))}) };`,
    }));
    // Only what parses CSS and walks it; checking values needs tables that nothing here asks for.
    onResolve({ filter: /^css-tree$/ }, () => ({ path: 'css-tree', namespace: 'built' }));
    onLoad({ filter: /^css-tree$/, namespace: 'built' }, () => ({
      contents:
        "export { default as parse } from 'css-tree/parser'; export { default as walk } from 'css-tree/walker';",
      resolveDir: process.cwd(),
    }));
    // Help texts are plain words: measuring them needs none of the tables for emoji and wide letters.
    onResolve({ filter: /^string-width$/ }, ({ importer }) =>
      /node_modules\/(?:yargs|cliui)\//.test(importer)
        ? { path: 'string-width', namespace: 'built' }
        : undefined,
    );
    // Two checks need no module that brings colours and differences.
    onResolve({ filter: /^(?:node:)?assert$/ }, ({ importer }) =>
      /node_modules\/yargs\//.test(importer) ? { path: 'assert', namespace: 'built' } : undefined,
    );
    onLoad({ filter: /^assert$/, namespace: 'built' }, () => ({ contents: ASSERT }));
    // The database looks for its native part in many places; it is nearly always the first. Decoding needs no second one.
    onResolve({ filter: /^node-gyp-build-optional-packages$/ }, () => ({
      path: 'native',
      namespace: 'built',
    }));
    onLoad({ filter: /^native$/, namespace: 'built' }, () => ({ contents: NATIVE }));
    onResolve({ filter: /^msgpackr-extract$/ }, () => ({ path: 'extract', namespace: 'built' }));
    onLoad({ filter: /^extract$/, namespace: 'built' }, () => ({ contents: 'module.exports = undefined;' }));
    // Elsewhere a segmenter is made when a text needs one: making it takes longer than all else at a start.
    onLoad({ filter: /node_modules\/string-width\/index\.js$/ }, ({ path }) => {
      const eager = 'const segmenter = new Intl.Segmenter();';
      const text = readFileSync(path, 'utf8');
      // Older ones, which other libraries bring, have none.
      if (!text.includes(eager)) return undefined;
      const lazy =
        'let made; const segmenter = { segment: (text) => (made ??= new Intl.Segmenter()).segment(text) };';
      return { contents: text.replace(eager, lazy) };
    });
    onLoad({ filter: /^string-width$/, namespace: 'built' }, () => ({
      contents:
        "const { stripVTControlCharacters } = require('node:util'); module.exports = (text) => stripVTControlCharacters(String(text)).length;",
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
// A build that fails leaves nothing behind.
process.on('exit', () => rmSync(staging, { recursive: true, force: true }));
const { metafile } = await build({
  entryPoints: {
    fenestra: 'src/cli/main.ts',
    'fingerprint-worker': 'src/disk/fingerprint-worker.ts',
    'probe-worker': 'src/endpoint/probe-worker.ts',
    reference: 'src/cli/reference.ts',
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
  // It makes code from text at run time, which no bundler may rename around.
  external: ['ordered-binary'],
  chunkNames: 'chunks/[name]-[hash]',
  metafile: true,
  plugins: [atStart],
  banner: {
    js: "import{createRequire as fenestraCreateRequire}from'node:module';const require=fenestraCreateRequire(import.meta.url);const fenestraRequire=require;",
  },
});
const aliases = await mergeGroups(metafile.outputs);
await cacheCode(staging, ['hot', 'store', 'words'], aliases);

/**
 * What nearly every command loads becomes one file, and so does what opens the store: some thirty small ones take
 * Node.js longer to find than to run. The small ones stay as names for it, so that everything is still loaded once.
 */
async function mergeGroups(outputs) {
  const entry = Object.keys(outputs).find((path) => outputs[path].entryPoint === 'src/cli/main.ts');
  // What the entry itself needs is loaded before, for `--help` too.
  const taken = new Set(
    outputs[entry].imports.filter(({ kind }) => kind === 'import-statement').map(({ path }) => path),
  );
  const aliases = new Map();
  for (const [file, roots] of [
    ['hot.js', ['src/cli/run-command.ts', 'src/cli/commands/index.ts']],
    ['store.js', ['src/stores/embedded/embedded-store.ts']],
    ['words.js', ['src/cli/read-words.ts']],
  ]) {
    const merged = gatherChunks(outputs, roots).filter((path) => !taken.has(path));
    merged.forEach((path) => taken.add(path));
    await mergeChunks(file, merged, outputs, aliases);
  }
  importMerged(aliases);
  startMerged(aliases);
  return aliases;
}

/** The entry asks the merged file itself for what begins a command. */
function startMerged(aliases) {
  const entry = join(staging, 'fenestra.js');
  const text = readFileSync(entry, 'utf8');
  const changed = text.replace(/\bimport\("\.\/chunks\/([\w-]+\.js)"\)/g, (statement, from) => {
    const known = aliases.get(from);
    if (!known) return statement;
    const names = [...known.names].map(([name, alias]) => `${name}:m.${alias}`);
    return `import("./chunks/${known.file}").then(m=>({${names.join(',')}}))`;
  });
  writeFileSync(entry, changed);
}

/** A chunk and all that it needs at once. */
function gatherChunks(outputs, roots) {
  const found = new Set();
  const gather = (path) => {
    if (found.has(path)) return;
    found.add(path);
    for (const { path: next, kind } of outputs[path].imports)
      if (kind === 'import-statement' && outputs[next]) gather(next);
  };
  for (const path of Object.keys(outputs)) if (roots.includes(outputs[path].entryPoint)) gather(path);
  return [...found];
}

async function mergeChunks(file, merged, outputs, aliases) {
  const names = merged.map((path, at) => outputs[path].exports.map((name) => [name, `m${at}_${name}`]));
  const list = (pairs, from) =>
    pairs.length > 0
      ? `export{${pairs.map(([a, b]) => `${a} as ${b}`).join(',')}}from"./${from}";`
      : `import"./${from}";`;
  const { outputFiles } = await build({
    stdin: {
      contents: merged.map((path, at) => list(names[at], basename(path))).join('\n'),
      resolveDir: join(staging, 'chunks'),
    },
    bundle: true,
    write: false,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    minify: true,
    legalComments: 'none',
    plugins: [
      {
        name: 'merge',
        setup({ onResolve }) {
          onResolve({ filter: /^/ }, ({ path, kind }) => {
            const known = merged.some((each) => basename(each) === path.replace(/^\.\//, ''));
            return known && kind !== 'dynamic-import' ? undefined : { path, external: true };
          });
        },
      },
    ],
  });
  writeFileSync(join(staging, 'chunks', file), outputFiles[0].contents);
  merged.forEach((path, at) => {
    aliases.set(basename(path), { file, names: new Map(names[at]) });
    writeFileSync(
      path,
      list(
        names[at].map(([name, alias]) => [alias, name]),
        file,
      ),
    );
  });
}

/** What is loaded asks the merged files too, instead of one small name after the other. */
function importMerged(aliases) {
  const chunks = join(staging, 'chunks');
  for (const file of readdirSync(chunks)) {
    if (aliases.has(file)) continue;
    const text = readFileSync(join(chunks, file), 'utf8');
    const asked = new Map();
    const rest = text.replace(
      /\bimport(?:\{([^{}]*)\}from)?"\.\/([\w-]+\.js)";/g,
      (statement, list, from) => {
        const known = aliases.get(from);
        if (!known || known.file === file) return statement;
        const pairs = asked.get(known.file) ?? [];
        asked.set(known.file, pairs);
        for (const pair of list?.split(',') ?? []) {
          const [name, local = name] = pair.split(' as ');
          pairs.push(`${known.names.get(name)} as ${local}`);
        }
        return '';
      },
    );
    const statements = [...asked].map(([from, pairs]) => `import{${pairs.join(',')}}from"./${from}";`);
    if (statements.length > 0) writeFileSync(join(chunks, file), statements.join('') + rest);
  }
}

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
