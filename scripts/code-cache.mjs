// Gives the merged files of a bundle V8's code cache, made here and now. Another version of Node.js refuses it and
// compiles the same text; nothing is ever written at run time.
import { build } from 'esbuild';
import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { isBuiltin } from 'node:module';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

/** Loads the text of a merged file as a script, since modules can have no cache. */
const LOADER = `import { createRequire } from 'node:module';
const require = createRequire(import.meta.url);
const { readFileSync } = require('node:fs');
const { Script } = require('node:vm');
const { fileURLToPath } = require('node:url');
const folder = fileURLToPath(new URL('.', import.meta.url));
const read = (name, encoding) => {
  try {
    return readFileSync(folder + name, encoding);
  } catch {
    return undefined;
  }
};
export const loaded = new Map();
export function load(name, url, given, parts) {
  const script = new Script(read(name + '.code', 'utf8'), {
    filename: folder + name + '.js',
    cachedData: read(name + '.cache'),
  });
  const module = { exports: {} };
  const need = Object.assign((id) => given[id] ?? require(id), require);
  // A script that comes from a cache cannot import by itself; what it has merged it need not import.
  const later = (id) => {
    if (!Object.hasOwn(parts, id)) return import(id);
    return Promise.resolve(Object.fromEntries(parts[id].map(([name, alias]) => [name, module.exports[alias]])));
  };
  script.runInThisContext()(module.exports, need, module, url, later);
  loaded.set(name, { script, exports: module.exports });
  return module.exports;
}
`;

/** Preloaded into one run of the program: when it ends, what it has compiled is kept. */
const KEEPER = (chunks, names) => `
import { writeFileSync } from 'node:fs';
const { loaded } = await import(${JSON.stringify(pathToFileURL(join(chunks, 'code.js')).href)});
const modules = await Promise.all(${JSON.stringify(names)}.map((name) => import(${JSON.stringify(pathToFileURL(chunks).href)} + '/' + name + '.js')));
process.on('exit', () => {
  ${JSON.stringify(names)}.forEach((name, at) => {
    const { script, exports } = loaded.get(name);
    for (const [each, value] of Object.entries(modules[at]))
      if (exports[each] !== value) throw new Error(name + ' gives ' + each + ' another value later');
    writeFileSync(${JSON.stringify(chunks)} + '/' + name + '.cache', script.createCachedData());
  });
});`;

/**
 * @param folder of the bundle @param names of its merged files, without their ending
 * @param aliases by the name of a chunk: the file that it was merged into, and its exports' names there
 */
export async function cacheCode(folder, names, aliases) {
  const chunks = resolve(folder, 'chunks');
  writeFileSync(join(chunks, 'code.js'), LOADER);
  for (const name of names) await makeScript(chunks, name, aliases);
  const home = mkdtempSync(join(tmpdir(), 'fenestra-build-'));
  try {
    cpSync('demo/wendle-mill', home, { recursive: true });
    writeFileSync(join(home, 'keep.mjs'), KEEPER(chunks, names));
    const run = (...args) => {
      const { status, stderr } = spawnSync(process.execPath, args, { cwd: home, encoding: 'utf8' });
      if (status !== 0) throw new Error(`the bundle does not run: ${stderr}`);
    };
    const program = resolve(folder, 'fenestra.js');
    run(program, 'publish', '--yes');
    run('--import', join(home, 'keep.mjs'), program, 'trace', '/', '--progress', 'none');
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
}

async function makeScript(chunks, name, aliases) {
  const file = join(chunks, `${name}.js`);
  const exported = [...readFileSync(file, 'utf8').matchAll(/\bexport\{([^{}]*)\};?\s*$/g)][0]?.[1];
  if (exported === undefined) throw new Error(`${name}.js exports nothing`);
  const { outputFiles, metafile } = await build({
    entryPoints: [file],
    bundle: true,
    write: false,
    metafile: true,
    format: 'cjs',
    platform: 'node',
    target: 'node20',
    minify: true,
    legalComments: 'none',
    define: { 'import.meta.url': 'fenestraUrl' },
    plugins: [
      {
        name: 'outside',
        setup({ onResolve }) {
          onResolve({ filter: /^/ }, ({ path, kind }) =>
            kind === 'entry-point' ? undefined : { path, external: true },
          );
        },
      },
    ],
  });
  const [{ imports }] = Object.values(metafile.outputs);
  const later = new Set(imports.filter(({ kind }) => kind === 'dynamic-import').map(({ path }) => path));
  const text = outputFiles[0].text.replace(/\bimport\((?:"([^"]+)"\))?/g, (statement, id) => {
    if (id !== undefined && !later.has(id))
      throw new Error(`${name}.js speaks of ${statement} where it does not import`);
    return `fenestraI${statement.slice(1)}`;
  });
  writeFileSync(
    join(chunks, `${name}.code`),
    `(function(exports,require,module,fenestraUrl,fenestraImport){${text}\n})`,
  );
  // What is a module can only be imported.
  const modules = [...new Set([...text.matchAll(/\brequire\("([^"]+)"\)/g)].map(([, id]) => id))].filter(
    (id) => !isBuiltin(id),
  );
  const parts = [...later].flatMap((id) => {
    const known = aliases.get(id.slice(2));
    return known?.file === `${name}.js` ? [`${JSON.stringify(id)}:${JSON.stringify([...known.names])}`] : [];
  });
  const names = exported.split(',').map((each) => each.split(' as ').at(-1));
  writeFileSync(
    file,
    [
      'import{load}from"./code.js";',
      ...modules.map((id, at) => `import*as g${at} from${JSON.stringify(id)};`),
      `export const{${names.join(',')}}=load(${JSON.stringify(name)},import.meta.url,{${modules.map((id, at) => `${JSON.stringify(id)}:g${at}`).join(',')}},{${parts.join(',')}});\n`,
    ].join(''),
  );
}
