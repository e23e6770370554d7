// Measures Fenestra beside yardsticks in the same run; prints the ratios and writes docs/benchmarks.md.
// Usage: npm run bench [-- NAME ...]; a name runs that measurement alone and writes nothing.
import { cpus } from 'node:os';
import { existsSync, mkdirSync, writeFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { serving } from './bench-serving.mjs';
import { CONFIG, fenestra, makeSite, pair, peakOf, run, scratch, shell } from './bench-kit.mjs';

const rows = [];
const report = (name, bar, value, held, detail) => {
  rows.push({ name, bar, value, held, detail });
  console.log(`${held ? 'held  ' : 'MISSED'} ${name}: ${value} (bar: ${bar}) ${detail}`);
};
const ratio = (value) => `${value.toFixed(2)} ×`;
const seconds = ({ a, b }) => `${a.toFixed(3)} s beside ${b.toFixed(3)} s`;

const project = (name, site) => {
  const folder = join(scratch, name);
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'fenestra.yaml'), CONFIG(site));
  return folder;
};

let big;
const bigSite = () => {
  if (!big) {
    big = join(scratch, 'big-site');
    mkdirSync(big);
    makeSite(big, 30_000, 500e6);
    shell(`rsync -rt ${big}/ ${scratch}/big-copy/`);
    // A memo does not trust files touched in its own moment.
    run('sleep', ['3']);
  }
  return big;
};

const firstPublish = (home, site, rounds) =>
  pair(
    rounds,
    () => {
      rmSync(join(home, '.fenestra'), { recursive: true, force: true });
      return fenestra(home, 'publish', '--yes');
    },
    () => {
      rmSync(join(scratch, 'copy'), { recursive: true, force: true });
      return shell(`rsync -rt ${site}/ copy/ && find ${site}/ -type f -print0 | xargs -0 sha256sum > sums`);
    },
  );

const measurements = {
  help() {
    const result = pair(
      31,
      () => fenestra(scratch, '--help'),
      () => run(process.execPath, ['-e', '0']),
    );
    report(
      '`fenestra --help`',
      'at most 3 × `node -e 0`',
      ratio(result.ratio),
      result.ratio <= 3,
      seconds(result),
    );
  },
  documentation() {
    const site = '/usr/share/doc/python3.11/html';
    if (!existsSync(site))
      return console.log('left out: the Python documentation is not installed (apt-get install python3-doc)');
    const home = project('docs', site);
    writeFileSync(
      join(home, 'fenestra.yaml'),
      `${CONFIG(site).replace('error: not-found.html', 'error: contents.html')}links: follow\n`,
    );
    shell('rm -rf warm && cp -rL /usr/share/doc/python3.11/html warm');
    writeFileSync(
      join(home, 'fenestra.yaml'),
      CONFIG(join(scratch, 'warm')).replace('error: not-found.html', 'error: contents.html'),
    );
    const result = firstPublish(home, join(scratch, 'warm'), 5);
    report(
      'first publish of the Python documentation',
      'at most 1.5 × (`rsync -rt` + `sha256sum`)',
      ratio(result.ratio),
      result.ratio <= 1.5,
      seconds(result),
    );
  },
  publish() {
    const home = project('big', bigSite());
    const result = firstPublish(home, big, 3);
    report(
      'first publish of 30,000 files, 500 MB',
      'at most 0.6 × (`rsync -rt` + `sha256sum`)',
      ratio(result.ratio),
      result.ratio <= 0.6,
      seconds(result),
    );
    rmSync(join(home, '.fenestra'), { recursive: true, force: true });
    const peak = peakOf(home, 'publish', '--yes');
    report('its peak memory', 'under 300 MiB', `${peak.toFixed(0)} MiB`, peak < 300, '');
  },
  unchanged() {
    const home = project('same', bigSite());
    fenestra(home, 'publish', '--yes');
    const yardstick = () => shell(`rsync -rt --dry-run ${big}/ ${scratch}/big-copy/`);
    const published = pair(9, () => fenestra(home, 'publish', '--yes'), yardstick);
    report(
      'publish with nothing changed, 30,000 files',
      'at most 1.5 × `rsync -rt --dry-run`',
      ratio(published.ratio),
      published.ratio <= 1.5,
      seconds(published),
    );
    const surveyed = pair(9, () => fenestra(home, 'survey'), yardstick);
    report(
      'survey with nothing changed, 30,000 files',
      'at most 2 × `rsync -rt --dry-run`',
      ratio(surveyed.ratio),
      surveyed.ratio <= 2,
      seconds(surveyed),
    );
  },
};

Object.assign(measurements, serving({ report, ratio, project }));

const asked = process.argv.slice(2);
for (const name of asked.length > 0 ? asked : Object.keys(measurements)) {
  if (!measurements[name])
    throw new Error(`no measurement "${name}"; there are ${Object.keys(measurements).join(', ')}`);
  await measurements[name]();
}
if (asked.length === 0) {
  const table = rows.map(
    ({ name, bar, value, held, detail }) =>
      `| ${name} | ${bar} | ${value} | ${held ? 'held' : '**missed**'} | ${detail} |`,
  );
  writeFileSync(
    'docs/benchmarks.md',
    `# Benchmarks\n\nWritten by \`npm run bench\`. Every figure is a median, measured in turn with its yardstick in one run, on ${cpus().length} × ${cpus()[0].model.trim()}, Node.js ${process.version}.\nOnly the ratios carry over to another machine.\n\n| what | bar | measured | | in detail |\n|---|---|---|---|---|\n${table.join('\n')}\n`,
  );
}
if (rows.some(({ held }) => !held)) process.exitCode = 1;
