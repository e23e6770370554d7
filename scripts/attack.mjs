// Runs the attacks of test/attack for minutes instead of seconds and writes their figures into docs/robustness.md.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, cpus, tmpdir } from 'node:os';
import { join } from 'node:path';

const PAGE = 'docs/robustness.md';
const MARK = '<!-- figures of the last `npm run attack` -->\n';
/** What is an attack, and what the tests take in short: long properties, publishers that are killed. */
const ALL = [
  'test/attack',
  'test/releases.test.ts',
  'test/swift-faults.test.ts',
  'test/swift-turn.test.ts',
  'src/core/assign/pattern.test.ts',
  'src/core/versioning/name-site.test.ts',
];
const [times, ...only] = process.argv.slice(2);
const longer = Number(times ?? 25);
if (!Number.isInteger(longer) || longer < 2) {
  process.stderr.write(
    'npm run attack -- TIMES [FILE…]: how many times as long as in npm test, 2 or more; and which alone.\n',
  );
  process.exit(2);
}
const scratch = mkdtempSync(join(tmpdir(), 'fenestra-attack-'));
const file = join(scratch, 'figures.jsonl');
try {
  const { status } = spawnSync(
    process.execPath,
    [
      join('node_modules', 'vitest', 'vitest.mjs'),
      'run',
      ...(only.length > 0 ? only : ALL),
      '--disable-console-intercept',
      '--poolOptions.forks.maxForks=1',
      '--poolOptions.forks.minForks=1',
    ],
    {
      stdio: 'inherit',
      env: { ...process.env, FENESTRA_ATTACK: String(longer), FENESTRA_ATTACK_FIGURES: file },
    },
  );
  const figures = readFileSync(file, 'utf8')
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line));
  const page = readFileSync(PAGE, 'utf8');
  const [before, table = ''] = page.split(MARK);
  // Of those that were not tried this time the figures of the last time stand.
  const former = only.length > 0 ? rowsOf(table) : new Map();
  writeFileSync(PAGE, `${before}${MARK}${render(new Map([...former, ...rowsOf(renderRows(figures))]))}`);
  process.stdout.write(`Written: ${PAGE}\n`);
  process.exitCode = status ?? 1;
} finally {
  rmSync(scratch, { recursive: true });
}

/** The rows of a table by what stands in their first column. */
function rowsOf(table) {
  const rows = table.split('\n').filter((line) => /^\| (?!attack )[^-]/.test(line));
  return new Map(rows.map((row) => [row.split(' | ')[0], row]));
}

function renderRows(figures) {
  const date = new Date().toISOString().slice(0, 10);
  return figures
    .map(({ name, seed, rounds, outcomes, measured }) => {
      const came = Object.entries(outcomes).map(([what, count]) => `${what} ${count.toLocaleString('en')}`);
      const seen = Object.entries(measured).map(([what, value]) => `${what}: ${value}`);
      return `| ${name} | ${rounds.toLocaleString('en')} | ${outcomes.harm ?? 0} | ${came.join(', ')} | ${seen.join('; ')} | ${seed}, ${date} |`;
    })
    .join('\n');
}

function render(rows) {
  const machine = `${availableParallelism()} × ${cpus()[0]?.model ?? 'unknown'}, Node.js ${process.version}`;
  return `
On ${machine}.

| attack | tried | harm | what came of it | measured | seed, day |
|---|---|---|---|---|---|
${[...rows.values()].sort().join('\n')}
`;
}
