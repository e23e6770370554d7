// npm test: lint, types and tests side by side. What follows the command goes to the test runner.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { setUpForTests } from './test-setup.mjs';

const bin = (name) => join('node_modules', '.bin', name);
const FORMATTED = ['src', 'test', 'scripts', '*.js', '*.ts', '.dependency-cruiser.mjs'];

/** Each lane is a list of commands, one after the other. */
const LANES = {
  types: [[bin('tsc')]],
  lint: [
    [bin('prettier'), '--check', '--log-level', 'warn', ...FORMATTED],
    // The walls between the folders, and no circles.
    [bin('depcruise'), 'src', '--config', '.dependency-cruiser.mjs', '--output-type', 'err'],
    [bin('eslint'), '--max-warnings', '0', '.'],
  ],
};

/** @returns whether all went well; what a command says is shown where it fails */
async function runLane(name, commands) {
  const began = performance.now();
  for (const [command, ...words] of commands) {
    const { status, said } = await run(command, words, 'pipe');
    if (status === 0) continue;
    process.stderr.write(`\n${said}\n${name}: failed, by ${command}\n`);
    return false;
  }
  process.stderr.write(` ✓ ${name} ${Math.round((performance.now() - began) / 1000)} s\n`);
  return true;
}

function run(command, words, stdio) {
  const child = spawn(command, words, { stdio: stdio === 'pipe' ? ['ignore', 'pipe', 'pipe'] : 'inherit' });
  let said = '';
  child.stdout?.on('data', (chunk) => (said += chunk));
  child.stderr?.on('data', (chunk) => (said += chunk));
  return new Promise((done) => {
    child.once('error', (error) => done({ status: 1, said: String(error) }));
    child.once('close', (status) => done({ status: status ?? 1, said }));
  });
}

/** Types, lint and formatting alone. */
export const lint = async () =>
  (await Promise.all(Object.entries(LANES).map(([name, commands]) => runLane(name, commands)))).every(
    Boolean,
  );

/** @param rest for the test runner @returns whether all went well */
export async function test(rest) {
  setUpForTests();
  // Without the name of a file it is all of them.
  if (rest.every((word) => word.startsWith('-'))) process.env.FENESTRA_WHOLE_RUN = '1';
  const [isClean, tested] = await Promise.all([lint(), run(bin('vitest'), ['run', ...rest], 'inherit')]);
  if (!isClean) process.stderr.write('Lint or types failed: see above.\n');
  return isClean && tested.status === 0;
}

/** Before a commit: types, lint of what has changed, the tables of pure functions, and one path through the program. */
export async function testQuick() {
  const { said } = await run('git', ['status', '--porcelain', '-uall'], 'pipe');
  const changed = said
    .split('\n')
    .filter((line) => line !== '' && !/^.?D/.test(line))
    .map((line) => line.slice(3).replace(/^.* -> /, ''))
    .filter((file) => /\.(?:m?js|ts)$/.test(file));
  const lanes = {
    types: [[bin('tsc'), '--incremental', '--tsBuildInfoFile', 'node_modules/.cache/tsc.json']],
    ...(changed.length === 0
      ? {}
      : {
          lint: [
            [bin('prettier'), '--check', '--log-level', 'warn', ...changed],
            [bin('eslint'), '--max-warnings', '0', ...changed],
          ],
        }),
  };
  const all = await Promise.all([
    ...Object.entries(lanes).map(([name, commands]) => runLane(name, commands)),
    run(bin('vitest'), ['run', '--project', 'pure', '--reporter', 'dot'], 'inherit').then(
      async (pure) =>
        pure.status === 0 &&
        (await run(bin('vitest'), ['run', 'test/quick.test.ts'], 'inherit')).status === 0,
    ),
  ]);
  return all.every(Boolean);
}
