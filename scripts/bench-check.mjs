// Measurements of `fenestra check`: the inspection beside parse5 alone, and ten thousand objects probed.
import { cpSync, existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { CONFIG, fenestra, measure, median, PROGRAM, scratch, json, PARSE_ALONE } from './bench-kit.mjs';
import { startServing } from './bench-serving.mjs';

const BARE_REQUESTS = `
import { Agent } from 'undici';
const [port, requests] = process.argv.slice(2).map(Number);
const agent = new Agent({ connections: 16, pipelining: 1 });
const began = performance.now();
let next = 0;
const worker = async () => {
  while (next < requests) {
    const n = next++ % 9998;
    const path = '/part-' + (n % 50) + (n % 4 === 0 ? '/page-' + n + '.html' : '/text-' + n + '.txt');
    const { statusCode, body } = await agent.request({ origin: 'http://127.0.0.1:' + port, path, method: 'GET', headers: { host: 'bench.localhost' } });
    await body.dump({ limit: 1e9 });
    if (statusCode !== 200) throw new Error(path + ': ' + statusCode);
  }
};
await Promise.all(Array.from({ length: 16 }, worker));
console.log((performance.now() - began) / 1000);
await agent.close();
`;

/** A plain site: pages with a style, a script and a picture, and without a single cache header. */
function makePlainSite(folder, pages) {
  const words = 'the tide fills the pond and the wheel turns when it falls '.repeat(10);
  const picture = '<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"></svg>';
  for (const part of ['s', 'i', ...Array.from({ length: 100 }, (_, n) => `p${n}`)])
    mkdirSync(join(folder, part), { recursive: true });
  for (let n = 0; n < pages; n++)
    writeFileSync(
      join(folder, `p${n % 100}`, `page-${n}.html`),
      `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Page ${n}</title><link rel="stylesheet" href="/s/site.css"><link rel="icon" href="/i/icon.svg"><script src="/s/site.js" defer></script></head><body><nav>${`<a href="/">Page ${n}</a>`.repeat(20)}</nav><h1>Page ${n}</h1>${`<p class="text">${words}</p>`.repeat(12)}<img src="/i/pic-${n % 50}.svg" alt="" width="100" height="80"></body></html>`,
    );
  writeFileSync(join(folder, 's/site.css'), 'h1 { background: url(/i/pic-1.svg) }');
  writeFileSync(join(folder, 's/site.js'), 'void 0;');
  writeFileSync(join(folder, 'i/icon.svg'), picture);
  for (let n = 0; n < 50; n++) writeFileSync(join(folder, `i/pic-${n}.svg`), picture);
  for (const name of ['index', 'not-found'])
    writeFileSync(join(folder, `${name}.html`), '<!doctype html><title>Bench</title><a href="/">Home</a>');
}

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
    // Pages of our own, so that one can be changed.
    const copy = join(scratch, 'python-docs');
    cpSync(site, copy, { recursive: true, dereference: true });
    writeFileSync(
      join(home, 'fenestra.yaml'),
      CONFIG(copy).replace('error: not-found.html', 'error: contents.html'),
    );
    const alone = join('node_modules', '.cache', 'parse-alone.mjs');
    mkdirSync(dirname(alone), { recursive: true });
    writeFileSync(alone, PARSE_ALONE);
    const check = () => json(home, PROGRAM, 'check', '--json', '--expect', 'closed');
    const rounds = Array.from({ length: 5 }, (_, round) => {
      rmSync(join(home, '.fenestra/survey'), { recursive: true, force: true });
      fenestra(home, 'publish', '--yes');
      const parse = json(process.cwd(), alone, site);
      const first = check();
      const again = check();
      if (JSON.stringify(again.findings) !== JSON.stringify(first.findings))
        throw new Error('what was remembered says something else');
      writeFileSync(
        join(copy, 'about.html'),
        `<!doctype html><title>${round}</title><a href="index.html">x</a>`,
      );
      fenestra(home, 'publish', '--yes');
      const changed = check();
      return [first, changed, again].map(({ inspection }) => [inspection.seconds, parse]);
    });
    for (const [at, [what, most]] of [
      ['for the first time', 0.4],
      ['with one page changed', 0.1],
      ['with nothing changed', 0.03],
    ].entries()) {
      const value = median(rounds.map((each) => each[at][0] / each[at][1]));
      const [ours, parse] = [0, 1].map((side) => median(rounds.map((each) => each[at][side])));
      report(
        `inspection of the Python documentation ${what}`,
        `at most ${most} × parse5 with locations`,
        ratio(value, 3),
        value <= most,
        `${ours.toFixed(2)} s beside ${parse.toFixed(1)} s`,
      );
    }
  },
  visiting() {
    const site = join(scratch, 'plain');
    makePlainSite(site, 10_000);
    const home = project('visited', site);
    writeFileSync(join(home, 'fenestra.yaml'), `${CONFIG(site)}assign:\n  - { to: "**", cache: unset }\n`);
    fenestra(home, 'publish', '--yes');
    const forget = () => rmSync(join(home, '.fenestra/survey'), { recursive: true, force: true });
    const rounds = Array.from({ length: 3 }, () => {
      forget();
      const { inspection } = json(home, PROGRAM, 'check', '--json', '--expect', 'closed');
      return [fenestra(home, 'visit', '--site'), inspection.seconds];
    });
    const value = median(rounds.map(([ours, read]) => ours / read));
    report(
      '`visit --site` of 10,000 plain pages',
      'at most 2 × what `check` takes to read them',
      ratio(value),
      value <= 2,
      `${median(rounds.map(([ours]) => ours)).toFixed(1)} s beside ${median(rounds.map(([, read]) => read)).toFixed(1)} s`,
    );
    const ours = measure(home, 'visit', '--site').peak;
    forget();
    const peak = measure(home, 'check', '--expect', 'closed').peak;
    report(
      'its peak memory',
      "at most `check`'s",
      `${ours.toFixed(0)} MiB`,
      ours <= peak,
      `${peak.toFixed(0)} MiB`,
    );
  },
  async probing() {
    const runs = [10_000, 30_000].map((objects) => {
      const site = join(scratch, `linked-${objects}`);
      makeLinkedSite(site, objects);
      const home = project(`checked-${objects}`, site);
      fenestra(home, 'publish', '--yes');
      fenestra(home, 'access', 'open', '--sure', 'bench');
      return { home, objects };
    });
    const [small, large] = runs;
    const check = () => {
      const began = process.hrtime.bigint();
      const { probes, findings } = json(small.home, PROGRAM, 'check', '--all', '--json');
      if (probes.failed > 0 || findings.length > 0)
        throw new Error(`the linked site does not check clean: ${JSON.stringify(findings[0])}`);
      return { seconds: Number(process.hrtime.bigint() - began) / 1e9, requests: probes.run };
    };
    const bare = join('node_modules', '.cache', 'bare-requests.mjs');
    mkdirSync(dirname(bare), { recursive: true });
    writeFileSync(bare, BARE_REQUESTS);
    check();
    const { child, port } = await startServing(small.home);
    const rounds = Array.from({ length: 3 }, () => {
      const { seconds, requests } = check();
      return [seconds, json(process.cwd(), bare, String(port), String(requests)), requests];
    });
    child.kill();
    const value = median(rounds.map(([ours, alone]) => ours / alone));
    report(
      '`check` of 10,000 objects, every one probed, nothing changed',
      'at most 1.5 × the bare requests by undici',
      ratio(value),
      value <= 1.5,
      `${median(rounds.map(([ours]) => ours)).toFixed(1)} s for ${rounds[0][2]} requests`,
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
