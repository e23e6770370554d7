// The demo, one path, the contract and the library on the other versions of Node.js that are in use; npm brings them.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, dirname, join } from 'node:path';

const VERSIONS = ['22.23.3', '24.21.0'];
const VITEST = join('node_modules', 'vitest', 'vitest.mjs');
const RUNS = [
  ['the demo', join('scripts', 'demo.mjs')],
  ['one path and the contract', VITEST, 'run', 'test/quick.test.ts', 'src/stores/contract'],
  ['the library', VITEST, 'run', 'test/library.test.ts', '-t', 'installed from its package'],
];

const folder = mkdtempSync(join(tmpdir(), 'fenestra-smoke-'));
let failed = 0;
try {
  for (const version of VERSIONS) {
    const name = `node-${process.platform}-${process.arch}`;
    const home = join(folder, version);
    const words = ['install', '--no-audit', '--no-fund', '--ignore-scripts', '--prefix', home];
    const got = run('npm', [...words, `${name}@${version}`], process.env);
    if (got.status !== 0) process.stdout.write(got.said);
    const program = join(home, 'node_modules', name, 'bin', 'node');
    const env = { ...process.env, PATH: `${dirname(program)}${delimiter}${process.env.PATH}` };
    for (const [what, ...command] of RUNS) {
      const { status, said } = run(program, command, env);
      if (status !== 0) failed++;
      process.stdout.write(
        `${status === 0 ? ' ✓' : ' ×'} ${what} on Node.js ${version}\n${status === 0 ? '' : said}`,
      );
    }
  }
} finally {
  rmSync(folder, { recursive: true, force: true });
}
process.exitCode = failed === 0 ? 0 : 1;

function run(command, words, env) {
  const { status, stdout, stderr, error } = spawnSync(command, words, {
    encoding: 'utf8',
    env,
    maxBuffer: 64 * 2 ** 20,
  });
  return { status: error ? 1 : status, said: `${stdout ?? ''}${stderr ?? ''}${error ?? ''}` };
}
