// Measurements of `fenestra check`: the inspection beside parse5 alone, and ten thousand objects probed.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { CONFIG, fenestra, measure, median, PROGRAM, scratch, shell } from './bench-kit.mjs';

const env = { ...process.env, NO_COLOR: '1' };
delete env.NODE_EXTRA_CA_CERTS;

/** Runs a Node.js program that prints JSON and may end with 1. */
function json(cwd, ...args) {
  const { stdout, status, stderr } = spawnSync(process.execPath, args, {
    cwd,
    env,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  if (status > 1) throw new Error(`${args.join(' ')} ended with ${status}\n${stderr}`);
  return JSON.parse(stdout);
}

const PARSE_ALONE = `
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'parse5';
const pages = readdirSync(process.argv[2], { recursive: true }).filter((name) => name.endsWith('.html'));
const began = performance.now();
for (const page of pages) parse(readFileSync(join(process.argv[2], page), 'utf8'));
console.log((performance.now() - began) / 1000);
`;

/** A site of pages that link to one another and of what they load. */
function makeLinkedSite(folder, objects) {
  for (let n = 0; n < objects - 2; n++) {
    const at = join(folder, `part-${n % 50}`);
    if (n < 50) mkdirSync(at, { recursive: true });
    const other = (step) => `/part-${(n + step) % 50}/${(n + step) % 4 === 0 ? 'page' : 'text'}-${n + step}`;
    const links = [4, 8, 12].map((step) => {
      const to = (n + step) % (objects - 100);
      return `<a href="/part-${to % 50}/page-${to - (to % 4)}.html">${other(step)}</a>`;
    });
    if (n % 4 === 0)
      writeFileSync(
        join(folder, `part-${n % 50}`, `page-${n}.html`),
        `<!doctype html><meta charset="utf-8"><title>Page ${n}</title><h1 id="part-${n}">Page ${n}</h1><p>${'tide '.repeat(200)}<a href="#part-${n}">here</a><a href="/">home</a>${n % 50 === 0 ? links.join('') : ''}`,
      );
    else writeFileSync(join(folder, `part-${n % 50}`, `text-${n}.txt`), `text ${n} ${'ebb '.repeat(100)}`);
  }
  writeFileSync(
    join(folder, 'index.html'),
    '<!doctype html><meta charset="utf-8"><title>Bench</title><p>Bench',
  );
  writeFileSync(
    join(folder, 'not-found.html'),
    '<!doctype html><meta charset="utf-8"><title>None</title><p><a href="/">Home</a>',
  );
}

export const checking = ({ report, ratio, project }) => ({
  inspection() {
    const site = '/usr/share/doc/python3.11/html';
    if (!existsSync(site))
      return console.log('left out: the Python documentation is not installed (apt-get install python3-doc)');
    const home = project('inspected', site);
    writeFileSync(
      join(home, 'fenestra.yaml'),
      `${CONFIG(site).replace('error: not-found.html', 'error: contents.html')}links: follow\n`,
    );
    fenestra(home, 'publish', '--yes');
    // Beside the libraries, where a program finds them.
    const alone = join(dirname(PROGRAM), 'parse-alone.mjs');
    writeFileSync(alone, PARSE_ALONE);
    const rounds = Array.from({ length: 3 }, () => ({
      ours: json(home, PROGRAM, 'check', '--json', '--expect', 'closed').inspection.seconds,
      parse: json(home, alone, site),
    }));
    shell(`rm ${alone}`);
    const value = median(rounds.map(({ ours, parse }) => ours / parse));
    report(
      'inspection of the Python documentation',
      'at most 3 × parse5 alone',
      ratio(value),
      value <= 3,
      `${median(rounds.map(({ ours }) => ours)).toFixed(1)} s beside ${median(rounds.map(({ parse }) => parse)).toFixed(1)} s`,
    );
  },
  probing() {
    const runs = [10_000, 30_000].map((objects) => {
      const site = join(scratch, `linked-${objects}`);
      makeLinkedSite(site, objects);
      const home = project(`checked-${objects}`, site);
      fenestra(home, 'publish', '--yes');
      fenestra(home, 'access', 'open', '--sure', 'bench');
      return { home, objects };
    });
    const [small, large] = runs;
    const began = process.hrtime.bigint();
    const { probes, findings } = json(small.home, PROGRAM, 'check', '--all', '--json');
    const seconds = Number(process.hrtime.bigint() - began) / 1e9;
    if (probes.failed > 0 || findings.length > 0)
      throw new Error(`the linked site does not check clean: ${JSON.stringify(findings[0])}`);
    report(
      '`check` of 10,000 objects, every one probed',
      'under 30 s',
      `${seconds.toFixed(1)} s`,
      seconds < 30,
      `${probes.run} requests`,
    );
    const peaks = [small, large].map(({ home }) =>
      // What was not collected yet only ever adds to it.
      Math.min(...[0, 1].map(() => measure(home, 'check', '--all').peak)),
    );
    const each = ((peaks[1] - peaks[0]) * 1024) / (large.objects - small.objects);
    report(
      'its memory',
      'grows by less than 2 KiB an object',
      `${each.toFixed(2)} KiB`,
      each < 2,
      `${peaks[0].toFixed(0)} MiB at 10,000, ${peaks[1].toFixed(0)} MiB at 30,000`,
    );
  },
});
