// Walks over sites that nobody here has written, computed and by a real browser: first, again, reloaded, in two windows.
// Usage: npm run bench:walks [-- NAME …]; without names all of them, and docs/visits.md has the figures.
import { spawn } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { chromium } from 'playwright-core';

const PAGE = 'docs/visits.md';
const MARK = '<!-- figures of the last `npm run bench:walks` -->\n';
const PROGRAM = resolve('dist/fenestra.js');
/** What each lies in, and how many walks are made of it. */
const SITES = {
  'doxygen-doc': ['/usr/share/doc/doxygen/html', 3],
  'rust-doc-book': ['/usr/share/doc/rust-doc/html/book', 3],
  'rust-doc-embedded': ['/usr/share/doc/rust-doc/html/embedded-book', 2],
  'rust-doc-alloc': ['/usr/share/doc/rust-doc/html/alloc', 2],
  'python3-doc': ['/usr/share/doc/python3.11/html', 3],
  'cmake-doc': ['/usr/share/doc/cmake-data/html', 3],
  'postgresql-doc': ['/usr/share/doc/postgresql-doc-15/html', 2],
  'git-doc': ['/usr/share/doc/git-doc', 2],
  novnc: ['/usr/share/novnc', 2],
  valgrind: ['/usr/share/doc/valgrind/html', 3],
};
const WINDOWS = ['1280x800', '390x844@3'];
const MOMENTS = '0 seconds, 90 minutes, 10 days';
const PAGES = 3;
const AT_ONCE = 2;
/** What a site may send, so that headers of all kinds are met. */
const CACHING = [
  '',
  'assign:\n  - { to: "**", cache: 1 hour }\n  - { to: "*.html", cache: revalidate }\n',
  'assign:\n  - { to: "*.{css,js}", cache: { fresh: 30 minutes, whileRevalidating: 1 day } }\n  - { to: "*.{png,svg}", cache: 30 days }\n',
];

/** Figures that are the same each time. */
function chanceFrom(seed) {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

const run = (home, ...words) =>
  new Promise((done, failed) => {
    const child = spawn(process.execPath, [PROGRAM, ...words], { cwd: home });
    let [out, err] = ['', ''];
    child.stdout.on('data', (piece) => (out += piece));
    child.stderr.on('data', (piece) => (err += piece));
    child.on('close', (status) =>
      status === 0 || status === 1
        ? done(out)
        : failed(new Error(`fenestra ${words.join(' ')} ended with ${status}: ${err.slice(0, 500)}`)),
    );
  });

/** What each page asks for where no script runs: paths. */
async function withoutScripts(browser, port, paths, viewport) {
  const [size, density = '1'] = viewport.split('@');
  const [width, height] = size.split('x');
  const asked = new Map();
  for (const path of paths) {
    const context = await browser.newContext({
      javaScriptEnabled: false,
      viewport: { width: Number(width), height: Number(height) },
      deviceScaleFactor: Number(density),
    });
    const page = await context.newPage();
    const own = new Set();
    page.on('request', (request) => own.add(new URL(request.url()).pathname));
    await page
      .goto(`http://real-site.localhost:${port}${path}`, { waitUntil: 'networkidle' })
      .catch(() => undefined);
    asked.set(path, own);
    await context.close();
  }
  return asked;
}

async function serve(home) {
  await run(home, 'access', 'open', '--sure', 'real-site');
  const child = spawn(process.execPath, [PROGRAM, 'serve', '--port', '0', '--quiet', '--json'], {
    cwd: home,
  });
  const port = await new Promise((done, failed) => {
    let said = '';
    child.once('exit', () => failed(new Error('serve ended')));
    child.stdout.on('data', (piece) => {
      said += piece;
      const [, found] = /"port":\s*(\d+)/.exec(said) ?? [];
      if (found) done(Number(found));
    });
  });
  return { child, port };
}

async function walk(home, paths, viewport) {
  const words = [
    ...paths,
    '--after',
    MOMENTS,
    '--reload',
    '--forced',
    '--viewport',
    viewport,
    '--browser',
    '--json',
  ];
  const asked = JSON.parse(await run(home, 'visit', ...words));
  const total = asked.browser.reduce((sum, { responses }) => sum + responses.length, 0);
  return { total, differing: asked.differences };
}

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu'],
});
const chosen = process.argv.slice(2);
const homes = new Map();
const walks = [];
for (const [seed, [name, [folder, count]]] of Object.entries(SITES).entries()) {
  if ((chosen.length > 0 && !chosen.includes(name)) || !existsSync(folder)) continue;
  const chance = chanceFrom(seed + 1);
  const home = mkdtempSync(join(tmpdir(), 'fenestra-walks-'));
  cpSync(folder, join(home, 'site'), { recursive: true, dereference: true });
  writeFileSync(
    join(home, 'fenestra.yaml'),
    `site: site\ndestinations: { here: { store: here, bucket: real-site } }\n${CACHING[seed % CACHING.length]}`,
  );
  await run(home, 'publish', '--yes', '--sure', 'real-site', '--json');
  const { child, port } = await serve(home);
  homes.set(home, child);
  const pages = readdirSync(join(home, 'site'), { recursive: true })
    .filter((file) => file.endsWith('.html'))
    .sort();
  for (let n = 0; n < count; n++) {
    const paths = Array.from({ length: PAGES }, () => pages[Math.floor(chance() * pages.length)]);
    walks.push({
      name,
      home,
      port,
      viewport: WINDOWS[n % 2],
      paths: [...new Set(paths)].map((file) => `/${file.split('/').map(encodeURIComponent).join('/')}`),
    });
  }
}
const rows = [];
const left = [...walks];
await Promise.all(
  Array.from({ length: AT_ONCE }, async () => {
    for (let next = left.shift(); next; next = left.shift()) {
      const { name, home, port, viewport, paths } = next;
      const first = await walk(home, paths, viewport);
      const plain = await withoutScripts(browser, port, paths, viewport);
      for (const each of first.differing) {
        const path = new URL(each.url).pathname;
        each.byScript =
          each.model === null &&
          path !== '/favicon.ico' &&
          plain.get(new URL(each.page).pathname)?.has(path) === false;
      }
      first.byScript = first.differing.filter((each) => each.byScript).length;
      // What the browser was seen to ask for is known from then on.
      const taught = await walk(home, paths, viewport);
      rows.push({ name, viewport, first, taught });
      const others = first.differing.filter((each) => !each.byScript);
      process.stderr.write(
        `${name} ${viewport}: ${first.total} requests, ${first.byScript} by scripts, ${others.length} others differ; taught: ${taught.differing.length} of ${taught.total}\n`,
      );
      for (const each of [
        ...others.map((one) => ['', one]),
        ...taught.differing.map((one) => ['taught ', one]),
      ].slice(0, 12))
        process.stderr.write(
          `   ${each[0]}${each[1].kind} ${each[1].after} ${new URL(each[1].page).pathname} ${new URL(each[1].url).pathname}: ${each[1].model} → ${each[1].browser}\n`,
        );
    }
  }),
);
await browser.close();
for (const [home, child] of homes) {
  child.kill();
  rmSync(home, { recursive: true });
}

/** A row of figures: walks, requests, those by scripts, others that differ, requests once seen, those that differ then. */
const figuresOf = (own) => [
  own.length,
  sum(own, ({ first }) => first.total),
  sum(own, ({ first }) => first.byScript),
  sum(own, ({ first }) => first.differing.length - first.byScript),
  sum(own, ({ taught }) => taught.total),
  sum(own, ({ taught }) => taught.differing.length),
];
const sum = (list, of) => list.reduce((all, each) => all + of(each), 0);
const share = (differing, total) => `${(100 - (differing / Math.max(1, total)) * 100).toFixed(1)} %`;
const [before, former = ''] = readFileSync(PAGE, 'utf8').split(MARK);
/** Of sites that were not walked over this time the figures of the last time stand. */
const known = new Map(
  former
    .split('\n')
    .map((line) => line.split('|').map((cell) => cell.trim()))
    .filter(([, name]) => name in SITES)
    .map(([, name, ...cells]) => [name, cells.slice(0, 6).map(Number)]),
);
for (const name of Object.keys(SITES)) {
  const own = rows.filter((row) => row.name === name);
  if (own.length > 0) known.set(name, figuresOf(own));
}
const rowOf = (name, [count, total, byScript, others, again, taught]) =>
  `| ${[name, count, total, byScript, others, again, taught, share(others, total - byScript), share(taught, again)].join(' | ')} |`;
const ordered = Object.keys(SITES).filter((name) => known.has(name));
const all = ordered.reduce(
  (sums, name) => sums.map((value, at) => value + known.get(name)[at]),
  [0, 0, 0, 0, 0, 0],
);
const table = `| site | walks | requests | by scripts | others that differ | requests once seen | that differ | the same | the same once seen |
|---|---|---|---|---|---|---|---|---|
${ordered.map((name) => rowOf(name, known.get(name))).join('\n')}
${rowOf('all', all)}
`;
process.stdout.write(table);
writeFileSync(PAGE, `${before}${MARK}${table}`);
