// Measures Fenestra beside yardsticks in the same run; prints the ratios and writes docs/benchmarks.md.
// Usage: npm run bench [-- NAME ...]; a name runs that measurement alone and writes nothing.
import { cpus } from 'node:os';
import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { checking } from './bench-check.mjs';
import { costs } from './bench-cost.mjs';
import { serving } from './bench-serving.mjs';
import { store } from './bench-store.mjs';
import { swift } from './bench-swift.mjs';
import { versioning } from './bench-versioned.mjs';
import { bringNode, OTHER_NODES } from './other-nodes.mjs';
import {
  CONFIG,
  fenestra,
  makeSite,
  manyFiles,
  measure,
  median,
  pair,
  PROGRAM,
  run,
  scratch,
  shell,
} from './bench-kit.mjs';

const rows = [];
const report = (name, bar, value, held, detail) => {
  rows.push({ name, bar, value, held, detail });
  console.log(`${held ? 'held  ' : 'MISSED'} ${name}: ${value} (bar: ${bar}) ${detail}`);
};
const ratio = (value, digits = 2) => `${value.toFixed(digits)} ×`;
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

let known;
/** This Node.js and the other ones that are in use, with the bar of small commands on each. */
const nodes = () =>
  (known ??= [
    { node: process.execPath, on: '', most: Number(process.versions.node.split('.')[0]) < 22 ? 4.5 : 3 },
    ...OTHER_NODES.map((version) => ({
      node: bringNode(version, scratch),
      on: `, Node.js ${version.split('.')[0]}`,
      most: 3,
    })),
  ]);

const measurements = {
  help() {
    for (const { node, on } of nodes()) {
      const result = pair(
        31,
        () => run(node, [PROGRAM, '--help'], { cwd: scratch }),
        () => run(node, ['-e', '0']),
      );
      report(
        `\`fenestra --help\`${on}`,
        'at most 1.6 × `node -e 0`',
        ratio(result.ratio),
        result.ratio <= 1.6,
        seconds(result),
      );
    }
  },
  small() {
    const home = join(scratch, 'mill');
    cpSync('demo/wendle-mill', home, { recursive: true });
    run('sleep', ['3']);
    fenestra(home, 'publish', '--yes');
    for (const { node, on, most } of nodes())
      for (const words of [['survey'], ['bucket', 'list'], ['history'], ['trace', '/']]) {
        const command = () => run(node, [PROGRAM, ...words], { cwd: home });
        // The first run of a version keeps what it has compiled.
        command();
        const result = pair(21, command, () => run(node, ['-e', '0']));
        report(
          `\`fenestra ${words.join(' ')}\` on the demo site${on}`,
          `at most ${most} × \`node -e 0\``,
          ratio(result.ratio),
          result.ratio <= most,
          seconds(result),
        );
      }
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
    const result = firstPublish(home, join(scratch, 'warm'), 9);
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
      'at most 0.35 × (`rsync -rt` + `sha256sum`)',
      ratio(result.ratio),
      result.ratio <= 0.35,
      seconds(result),
    );
    rmSync(join(home, '.fenestra'), { recursive: true, force: true });
    const { peak } = measure(home, 'publish', '--yes');
    report('its peak memory', 'under 300 MiB', `${peak.toFixed(0)} MiB`, peak < 300, '');
  },
  storeSize() {
    const home = project('sized', bigSite());
    fenestra(home, 'publish', '--yes');
    const bytes = (path) =>
      Number(execFileSync('du', ['-sb', '--apparent-size', path], { encoding: 'utf8' }).split('\t')[0]);
    const used = Number(
      execFileSync('du', ['-s', '--block-size=1', join(home, '.fenestra/store')], { encoding: 'utf8' }).split(
        '\t',
      )[0],
    );
    const most = bytes(big) * 1.1 + 30_002 * 1024;
    report(
      'the store of that site on disk',
      'at most 1.1 × the bodies + 1 KiB an object',
      `${(used / most).toFixed(2)} of it`,
      used <= most,
      `${(used / 1e6).toFixed(0)} MB`,
    );
  },
  tenChanges() {
    const written = [1000, 100_000].map((objects) => {
      const site = join(scratch, `ten-${objects}`);
      for (let n = 0; n < objects; n++) {
        if (n % 500 === 0) mkdirSync(join(site, `d${n / 500}`), { recursive: true });
        writeFileSync(join(site, `d${Math.floor(n / 500)}`, `o${n}.txt`), `object ${n}`);
      }
      writeFileSync(join(site, 'index.html'), 'index');
      const home = project(`ten-home-${objects}`, site);
      fenestra(home, 'publish', '--yes');
      for (let n = 0; n < 10; n++) writeFileSync(join(site, 'd0', `o${n}.txt`), `changed ${n}`);
      const memo = () =>
        readdirSync(join(home, '.fenestra/survey')).reduce(
          (sum, name) => sum + statSync(join(home, '.fenestra/survey', name)).size,
          0,
        );
      // What the survey remembers is written whole, beside the store; it is not the store's writing.
      return measure(home, 'publish', '--yes').written - memo();
    });
    const [few, many] = written;
    report(
      'writes to the store, 10 changes into 100,000 objects',
      'as into 1,000, not 100 ×',
      `${(many / few).toFixed(1)} × those into 1,000`,
      many / few <= 3,
      `${(many / 1024).toFixed(0)} KiB beside ${(few / 1024).toFixed(0)} KiB`,
    );
  },
  unchanged() {
    const home = project('same', bigSite());
    fenestra(home, 'publish', '--yes');
    const yardstick = () => shell(`rsync -rt --dry-run ${big}/ ${scratch}/big-copy/`);
    const published = pair(15, () => fenestra(home, 'publish', '--yes'), yardstick);
    report(
      'publish with nothing changed, 30,000 files',
      'at most 1.3 × `rsync -rt --dry-run`',
      ratio(published.ratio),
      published.ratio <= 1.3,
      seconds(published),
    );
    const surveyed = pair(15, () => fenestra(home, 'survey'), yardstick);
    report(
      'survey with nothing changed, 30,000 files',
      'at most 1.3 × `rsync -rt --dry-run`',
      ratio(surveyed.ratio),
      surveyed.ratio <= 1.3,
      seconds(surveyed),
    );
  },
  restore() {
    const site = join(scratch, 'restored-site');
    manyFiles(site, 100_000, 12);
    const home = project('restored', site);
    fenestra(home, 'publish', '--yes');
    for (let n = 0; n < 10; n++) writeFileSync(join(site, `d${n}`, `o${n * 500}.txt`), `changed ${n}`);
    fenestra(home, 'publish', '--yes');
    const rounds = Array.from({ length: 7 }, () => {
      // Of a bucket that is at what the site folder holds.
      fenestra(home, 'publish', '--yes');
      const unchanged = fenestra(home, 'publish', '--yes');
      return [fenestra(home, 'restore', '1', '--yes'), unchanged];
    });
    const held = median(rounds.map(([a, b]) => a / b));
    report(
      '`restore` of one release back, 100,000 objects, 10 changes',
      'at most 1.5 × an unchanged publish',
      ratio(held),
      held <= 1.5,
      seconds({ a: median(rounds.map(([a]) => a)), b: median(rounds.map(([, b]) => b)) }),
    );
  },
  pruning() {
    const site = join(scratch, 'pruned-site');
    manyFiles(site, 100_000, 12);
    const home = project('pruned', site);
    const config = CONFIG(site);
    const publish = (round, depth) => {
      writeFileSync(join(home, 'fenestra.yaml'), `${config}historyDepth: ${depth}\n`);
      for (let n = 0; n < 10; n++)
        writeFileSync(join(site, `d${n}`, `o${n * 500}.txt`), `round ${round} ${n}`);
      return fenestra(home, 'publish', '--yes');
    };
    fenestra(home, 'publish', '--yes');
    for (const round of [-2, -1]) publish(round, 2);
    const rounds = Array.from({ length: 7 }, (_, n) => {
      const [pruned, kept] = [publish(2 * n, 2), publish(2 * n + 1, 50)];
      publish(`${n} again`, 2);
      return [pruned, kept];
    });
    const held = median(rounds.map(([a, b]) => a / b));
    report(
      'publish of 10 changes into 100,000 objects that prunes a release',
      'at most 1.2 × one that prunes none',
      ratio(held),
      held <= 1.2,
      seconds({ a: median(rounds.map(([a]) => a)), b: median(rounds.map(([, b]) => b)) }),
    );
  },
  smallFiles() {
    const site = join(scratch, 'small-files');
    manyFiles(site, 200_000, 1024);
    const home = project('small-files-home', site);
    const peaks = ['publish --yes', 'survey', 'check --expect closed'].map((words) => {
      if (words === 'survey') rmSync(join(home, '.fenestra/survey'), { recursive: true });
      return [words.split(' ')[0], measure(home, ...words.split(' ')).peak];
    });
    for (const [name, peak] of peaks)
      report(
        `200,000 files of 1 KiB, first ${name}, peak memory`,
        'under 300 MiB',
        `${peak.toFixed(0)} MiB`,
        peak < 300,
        '',
      );
  },
};

Object.assign(
  measurements,
  serving({ report, ratio, project }),
  checking({ report, ratio, project }),
  versioning({ report, ratio, project }),
  store({ report, ratio }),
  { swift: () => swift(report, ratio) },
  { cost: () => costs({ report, ratio, project }) },
);

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
