// Versioned names over sites that nobody here has written: whatever answers without them answers with them, pages are drawn
// alike, and a page that is open finds all that it named after a release that changes a tenth of what it loads.
// Usage: npm run bench:sites [-- NAME …]; without names all of them, and docs/versioned-names.md has the figures.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  appendFileSync,
  cpSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { chromium } from 'playwright-core';

const PAGE = 'docs/versioned-names.md';
const MARK = '<!-- figures of the last `npm run bench:sites` -->\n';
const PROGRAM = resolve('dist/fenestra.js');
const HOST = 'real-site.localhost';
/** What each lies in, and what it is, for the table. */
const SITES = {
  'doxygen-doc': ['/usr/share/doc/doxygen/html', 'pages of a generator for source code'],
  'rust-doc-book': ['/usr/share/doc/rust-doc/html/book', 'a book with themes and a search'],
  'rust-doc-embedded': ['/usr/share/doc/rust-doc/html/embedded-book', 'another one'],
  'rust-doc-alloc': ['/usr/share/doc/rust-doc/html/alloc', 'a library, a part of a site'],
  'python3-doc': ['/usr/share/doc/python3.11/html', 'a manual with a theme and a search'],
  'cmake-doc': ['/usr/share/doc/cmake-data/html', 'another manual of that generator'],
  'postgresql-doc': ['/usr/share/doc/postgresql-doc-15/html', 'a manual from DocBook'],
  'git-doc': ['/usr/share/doc/git-doc', 'single pages'],
  novnc: ['/usr/share/novnc', 'an application of modules'],
  valgrind: ['/usr/share/doc/valgrind/html', 'a manual in frames and pictures'],
};
const VERSIONED = "versioned: ['**/*.css', '**/*.js', '**/*.svg', '**/*.png', '**/*.woff2', '_static/**']\n";
const MODES = { plain: '', both: VERSIONED, alone: `${VERSIONED}keepPlain: false\n` };
const PAGES = 20;

const digest = (bytes) => createHash('sha256').update(bytes).digest('hex');
const filesIn = (folder) =>
  readdirSync(folder, { recursive: true }).filter((name) => statSync(join(folder, name)).isFile());

function fenestra(home, ...words) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [PROGRAM, ...words], {
    cwd: home,
    encoding: 'utf8',
    maxBuffer: 2 ** 30,
  });
  if (status !== 0)
    throw new Error(`fenestra ${words.join(' ')} ended with ${status}: ${stderr.slice(0, 500)}`);
  return stdout;
}

async function begin(site, more) {
  const home = mkdtempSync(join(tmpdir(), 'fenestra-sites-'));
  cpSync(site, join(home, 'site'), { recursive: true, dereference: true });
  writeFileSync(
    join(home, 'fenestra.yaml'),
    `site: site\ndestinations: { here: { store: here, bucket: real-site } }\n${more}`,
  );
  publish(home);
  fenestra(home, 'access', 'open', '--sure', 'real-site');
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
  return { home, child, port };
}
const publish = (home) => JSON.parse(fenestra(home, 'publish', '--yes', '--sure', 'real-site', '--json'));

const get = (port, path) =>
  new Promise((done, failed) => {
    request({ port, path, headers: { host: HOST }, agent: false }, (answer) => {
      const pieces = [];
      answer.on('data', (piece) => pieces.push(piece));
      answer.on('end', () => done({ status: answer.statusCode, bytes: Buffer.concat(pieces) }));
    })
      .on('error', failed)
      .end();
  });
const pathOf = (name) => `/${name.normalize('NFC').split('/').map(encodeURIComponent).join('/')}`;

/** Addresses of the site that answer otherwise; texts in which names were rewritten are other texts. */
async function compareAddresses(site, plain, other) {
  const [same, changed, gone] = [[], [], []];
  const names = filesIn(site);
  for (const name of names) {
    const path = pathOf(name);
    const [was, is] = [await get(plain.port, path), await get(other.port, path)];
    if (was.status !== is.status) gone.push(name);
    else if (digest(was.bytes) === digest(is.bytes)) same.push(name);
    else changed.push(name);
  }
  return { asked: names.length, changed, gone };
}

/** Loads pages, and tells what failed, how each was drawn, and what it asked for. */
async function draw(browser, { port }, names) {
  const context = await browser.newContext({ viewport: { width: 1000, height: 700 } });
  const page = await context.newPage();
  const [failed, drawn, asked] = [new Set(), [], []];
  page.on('response', (response) => {
    const { pathname } = new URL(response.url());
    if (response.status() >= 400) failed.add(`${response.status()} ${pathname}`);
    else asked.push(pathname);
  });
  page.on('pageerror', ({ message }) => failed.add(message.replaceAll(String(port), '').slice(0, 120)));
  for (const name of names) {
    await page.goto(`http://${HOST}:${port}${pathOf(name)}`, { waitUntil: 'networkidle' });
    drawn.push(digest(await page.screenshot({ animations: 'disabled' })));
  }
  await context.close();
  return { failed, drawn, asked: [...new Set(asked)] };
}

/** A browser does not draw the edge of a scroll bar alike each time, so what differs is drawn a few times more. */
async function isDrawnAlike(browser, plain, other, name) {
  const [ours, theirs] = [new Set(), new Set()];
  for (let times = 0; times < 5; times++) {
    ours.add((await draw(browser, other, [name])).drawn[0]);
    theirs.add((await draw(browser, plain, [name])).drawn[0]);
    if ([...ours].some((each) => theirs.has(each))) return true;
  }
  return false;
}

/** What a page that was loaded before misses after a release that changes every tenth of what has a version. */
async function change({ home, port }, asked) {
  const before = new Map();
  for (const path of asked)
    if (/\.[0-9a-f]{8}\.\w+$/.test(path)) before.set(path, digest((await get(port, path)).bytes));
  const assets = filesIn(join(home, 'site')).filter((name) => /\.(?:css|js|svg)$/.test(name));
  for (const [at, name] of assets.entries())
    if (at % 10 === 0)
      appendFileSync(join(home, 'site', name), name.endsWith('.svg') ? '\n' : '\n/* changed */\n');
  publish(home);
  let missing = 0;
  for (const [path, was] of before) {
    const { status, bytes } = await get(port, path);
    if (status !== 200 || digest(bytes) !== was) missing++;
  }
  return { named: before.size, changed: Math.ceil(assets.length / 10), missing };
}

const wanted = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', `--host-resolver-rules=MAP *.localhost 127.0.0.1`],
});
const rows = [];
let isHeld = true;
try {
  for (const [name, [site, what]] of Object.entries(SITES)) {
    if ((wanted.length > 0 && !wanted.includes(name)) || !existsSync(site)) continue;
    const hosts = {};
    try {
      for (const [mode, more] of Object.entries(MODES)) hosts[mode] = await begin(site, more);
      const pages = filesIn(site)
        .filter((file) => file.endsWith('.html'))
        .sort();
      const chosen = pages.filter((_, at) => at % Math.ceil(pages.length / PAGES) === 0);
      const plain = await draw(browser, hosts.plain, chosen);
      for (const mode of ['both', 'alone']) {
        const addresses = await compareAddresses(site, hosts.plain, hosts[mode]);
        const shown = await draw(browser, hosts[mode], chosen);
        const failing = [...shown.failed].filter((each) => !plain.failed.has(each));
        const otherwise = [];
        for (const [at, file] of chosen.entries())
          if (
            shown.drawn[at] !== plain.drawn[at] &&
            !(await isDrawnAlike(browser, hosts.plain, hosts[mode], file))
          )
            otherwise.push(file);
        const alike = chosen.length - otherwise.length;
        const after = await change(hosts[mode], shown.asked);
        const isGood =
          failing.length === 0 &&
          alike === chosen.length &&
          after.missing === 0 &&
          (mode === 'alone' || addresses.gone.length === 0);
        isHeld &&= isGood;
        const row = `| ${name}, ${what}${mode === 'alone' ? ', `keepPlain: false`' : ''} | ${addresses.asked} | ${addresses.gone.length} | ${addresses.changed.length} | ${alike} of ${chosen.length} | ${failing.length} | ${after.missing} of ${after.named} |`;
        rows.push(row);
        process.stdout.write(`${isGood ? 'held  ' : 'MISSED'} ${row}\n`);
        for (const each of failing.slice(0, 5)) process.stdout.write(`         ${each}\n`);
        for (const each of otherwise) process.stdout.write(`         drawn otherwise: ${each}\n`);
      }
    } finally {
      for (const { home, child } of Object.values(hosts)) {
        child.removeAllListeners('exit');
        child.kill();
        rmSync(home, { recursive: true, force: true });
      }
    }
  }
} finally {
  await browser.close();
}
if (wanted.length === 0) {
  const [before] = readFileSync(PAGE, 'utf8').split(MARK);
  const head =
    '| site | addresses | gone | rewritten | pages drawn alike | failing anew | names of old pages missing |\n|---|---|---|---|---|---|---|';
  writeFileSync(
    PAGE,
    `${before}${MARK}\nOf ${new Date().toISOString().slice(0, 10)}, in Chromium, versioned: styles, scripts, drawings, pictures and fonts.\n\n${head}\n${rows.join('\n')}\n`,
  );
}
if (!isHeld) process.exitCode = 1;
