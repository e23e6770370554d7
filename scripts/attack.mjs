// Runs the attacks of test/attack for minutes instead of seconds and writes their figures into docs/robustness.md.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, cpus, tmpdir } from 'node:os';
import { join } from 'node:path';

const PAGE = 'docs/robustness.md';
const MARK = '<!-- figures of the last `npm run attack` -->\n';
const longer = Number(process.argv[2] ?? 25);
if (!Number.isInteger(longer) || longer < 2) {
  process.stderr.write('npm run attack -- TIMES: how many times as long as in npm test, 2 or more.\n');
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
      'test/attack',
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
  writeFileSync(PAGE, page.slice(0, page.indexOf(MARK)) + MARK + render(figures));
  process.stdout.write(`Written: ${PAGE}\n`);
  process.exitCode = status ?? 1;
} finally {
  rmSync(scratch, { recursive: true });
}

function render(figures) {
  const rows = figures
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .map(({ name, seed, rounds, outcomes, measured }) => {
      const came = Object.entries(outcomes).map(([what, count]) => `${what} ${count.toLocaleString('en')}`);
      const seen = Object.entries(measured).map(([what, value]) => `${what}: ${value}`);
      return `| ${name} | ${rounds.toLocaleString('en')} | ${outcomes.harm ?? 0} | ${came.join(', ')} | ${seen.join('; ')} | ${seed} |`;
    });
  const machine = `${availableParallelism()} × ${cpus()[0]?.model ?? 'unknown'}, Node.js ${process.version}`;
  return `
Of ${new Date().toISOString().slice(0, 10)}, on ${machine}.

| attack | tried | harm | what came of it | measured | seed |
|---|---|---|---|---|---|
${rows.join('\n')}
`;
}
