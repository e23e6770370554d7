// npm test: lint, types and tests side by side. What follows the command goes to the test runner.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { filesToRepeat, joinReports } from './test-again.mjs';
import { setUpForTests } from './test-setup.mjs';

const bin = (name) => join('node_modules', '.bin', name);
const ALONE = ['--poolOptions.forks.maxForks=1', '--poolOptions.forks.minForks=1'];
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
  const [isClean, isGood] = await Promise.all([lint(), rest.length === 0 ? testAll() : runTests(rest)]);
  if (!isClean) process.stderr.write('Lint or types failed: see above.\n');
  return isClean && isGood;
}

const runTests = async (words) => (await run(bin('vitest'), ['run', ...words], 'inherit')).status === 0;

/** Every test, with one seed; what a busy machine may have failed is run once more by itself. */
async function testAll() {
  process.env.FENESTRA_SEED ??= String(Date.now() % 1_000_000);
  process.stderr.write(`The seed of random tests is ${process.env.FENESTRA_SEED} (FENESTRA_SEED).\n`);
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-report-'));
  const runWithReport = async (words) => {
    process.env.FENESTRA_RUN_REPORT = join(folder, 'report.json');
    const isGood = await runTests(words);
    return { isGood, ...JSON.parse(readFileSync(process.env.FENESTRA_RUN_REPORT, 'utf8')) };
  };
  try {
    process.env.FENESTRA_WHOLE_RUN = '1';
    const first = await runWithReport([]);
    delete process.env.FENESTRA_WHOLE_RUN;
    const again = filesToRepeat(first);
    const second =
      again.length > 0
        ? await runWithReport([...again, ...ALONE])
        : { isGood: first.isGood, files: {}, unhandled: 0 };
    const { counts, passedAlone } = joinReports(first, second);
    for (const name of again.length > 0 ? passedAlone : [])
      process.stderr.write(`Failed beside all the others, passed by itself: ${name}\n`);
    if (process.env.FENESTRA_COUNTS) writeFileSync(process.env.FENESTRA_COUNTS, JSON.stringify(counts));
    return second.isGood && counts.failed === 0;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
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
