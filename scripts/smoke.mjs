// The demo, one path, the contract and the library on the other versions of Node.js that are in use; npm brings them.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, dirname, join } from 'node:path';
import { bringNode, OTHER_NODES } from './other-nodes.mjs';

/** Works where nothing can be kept, too. */
const PRINT = [join('dist', 'fenestra.js'), 'help', 'survey'];
const VITEST = join('node_modules', 'vitest', 'vitest.mjs');
const RUNS = [
  ['the demo', join('scripts', 'demo.mjs')],
  ['one path and the contract', VITEST, 'run', 'test/quick.test.ts', 'src/stores/contract'],
  ['the library', VITEST, 'run', 'test/library.test.ts', '-t', 'installed from its package'],
];

const folder = mkdtempSync(join(tmpdir(), 'fenestra-smoke-'));
let failed = 0;
try {
  for (const version of OTHER_NODES) {
    const program = bringNode(version, folder);
    const cache = join(folder, `cache-${version}`);
    const env = {
      ...process.env,
      PATH: `${dirname(program)}${delimiter}${process.env.PATH}`,
      XDG_CACHE_HOME: cache,
    };
    for (const [what, ...command] of RUNS) {
      const { status, said } = run(program, command, env);
      if (status !== 0) failed++;
      process.stdout.write(
        `${status === 0 ? ' ✓' : ' ×'} ${what} on Node.js ${version}\n${status === 0 ? '' : said}`,
      );
    }
    if (!keepsCompiled(cache) || run(program, PRINT, { ...env, XDG_CACHE_HOME: '/proc/none' }).status !== 0) {
      failed++;
      process.stdout.write(` × compiled code on Node.js ${version}\n`);
    }
  }
} finally {
  rmSync(folder, { recursive: true, force: true });
}
process.exitCode = failed === 0 ? 0 : 1;

/** Whether what was compiled lies in a folder that is its owner's alone. */
function keepsCompiled(cache) {
  const all = join(cache, 'fenestra');
  const kept = readdirSync(all).filter((name) => name.startsWith('compiled-'));
  return kept.length === 1 && (statSync(join(all, kept[0])).mode & 0o077) === 0;
}

function run(command, words, env) {
  const { status, stdout, stderr, error } = spawnSync(command, words, {
    encoding: 'utf8',
    env,
    maxBuffer: 64 * 2 ** 20,
    timeout: 300_000,
    killSignal: 'SIGKILL',
  });
  return { status: error ? 1 : status, said: `${stdout ?? ''}${stderr ?? ''}${error ?? ''}` };
}
