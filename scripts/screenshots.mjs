// Takes every picture in docs/screenshots/ from the demo data: terminals in an xterm under Xvfb, pages in Chromium.
// Needs xvfb, xterm, imagemagick, chromium and a DejaVu font. Usage: npm run screenshots [-- NAME ...]
import { spawn, spawnSync } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
  appendFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { chromium } from 'playwright-core';
import { startSwift } from './swift-cluster.mjs';

const program = resolve('dist/fenestra.js');
const pictures = resolve('docs/screenshots');
const scratch = mkdtempSync(join(tmpdir(), 'fenestra-shots-'));
const asked = process.argv.slice(2);
const wanted = (name) => asked.length === 0 || asked.includes(name);
const started = [];
const begin = (command, args, options = {}) => {
  const child = spawn(command, args, { stdio: 'ignore', ...options });
  started.push(child);
  return child;
};

const home = join(scratch, 'mill');
cpSync('demo/wendle-mill', home, { recursive: true });
rmSync(join(home, '.fenestra'), { recursive: true, force: true });
const fenestra = (...words) =>
  spawnSync(process.execPath, [program, ...words], { cwd: home, encoding: 'utf8' });

const DISPLAY = `:${90 + (process.pid % 9)}`;

/**
 * Runs a shell script in an xterm and keeps the picture once the script has ended, `until` is there or `seconds` have
 * passed.
 */
async function terminal(name, script, { lines = 46, seconds = 20, until } = {}) {
  if (!wanted(name)) return;
  const done = join(scratch, `${name}.done`);
  const rc = join(scratch, 'shell.sh');
  writeFileSync(
    rc,
    `printf '\\033[?25l'\ncd ${home}\nfenestra() { ${process.execPath} ${program} "$@"; }\nsay() { printf '\\033[2m$ %s\\033[0m\\n' "$1"; }\n${script}\nprintf '\\033[?25l'\ntouch ${done}\nsleep 600\n`,
  );
  const window = begin(
    'xterm',
    [
      '-tn',
      'xterm-256color',
      '-fa',
      'DejaVu Sans Mono',
      '-fs',
      '10',
      '-geometry',
      `157x${lines}+0+0`,
      '-bw',
      '0',
      '-bg',
      '#fbfaf6',
      '-fg',
      '#22302f',
      '-b',
      '10',
      '+sb',
      '-xrm',
      'xterm*color1:#a8321f',
      '-xrm',
      'xterm*color2:#1f6b4f',
      '-xrm',
      'xterm*color3:#8a5a00',
      '-xrm',
      'xterm*color6:#1f5a63',
      '-xrm',
      'xterm*color8:#6f7c79',
      '-xrm',
      'xterm*color9:#a8321f',
      '-xrm',
      'xterm*color10:#1f6b4f',
      '-xrm',
      'xterm*color11:#8a5a00',
      '-xrm',
      'xterm*color14:#1f5a63',
      '-xrm',
      'xterm*faintIsRelative: true',
      '-e',
      'bash',
      rc,
    ],
    {
      env: { ...process.env, DISPLAY, TERM: 'xterm-256color' },
    },
  );
  const reached = () => existsSync(done) || (until !== undefined && existsSync(until));
  for (let tenth = 0; tenth < seconds * 10 && !reached(); tenth++) await wait(100);
  await wait(until === undefined ? 700 : 1100);
  spawnSync(
    'import',
    ['-window', 'root', '-crop', `1276x${lines * 17 + 20}+0+0`, '+repage', join(pictures, `${name}.png`)],
    { env: { ...process.env, DISPLAY } },
  );
  // What it shows, with an edge of its own colour.
  const file = join(pictures, `${name}.png`);
  spawnSync('mogrify', ['-trim', '+repage', '-bordercolor', '#fbfaf6', '-border', '12', file]);
  window.kill();
  await wait(200);
}

begin('Xvfb', [DISPLAY, '-screen', '0', '1280x820x24']);
await wait(1500);
/** What somebody does who has the same credentials and other tools. */
async function changePast({ auth, secrets }, bucket) {
  const { headers } = await fetch(auth, {
    headers: { 'x-auth-user': secrets.FENESTRA_CLOUD_USER, 'x-auth-key': secrets.FENESTRA_CLOUD_KEY },
  });
  const change = (method, path, more = {}, body) =>
    fetch(`${headers.get('x-storage-url')}/${bucket}${path}`, {
      method,
      headers: { 'x-auth-token': headers.get('x-auth-token'), ...more },
      body,
    });
  await change('POST', '/news/index.html', { 'content-type': 'text/plain' });
  await change('POST', '/index.html', { 'content-type': 'text/html', 'cache-control': 'max-age=31536000' });
  await change('DELETE', '/pictures/mark.svg');
  await change('PUT', '/notes/draft.txt', { 'content-type': 'text/plain' }, 'theirs');
  await change('POST', '', { 'x-container-meta-web-error': 'oops.html', 'x-container-write': '*:*' });
}

/** What a real object store of three nodes looks like from here. */
async function objectStore() {
  if (!['swift-progress', 'swift-against', 'mended', 'store-check'].some(wanted)) return;
  const swift = startSwift();
  if (!swift) throw new Error('the object store did not start');
  try {
    const away = join(scratch, 'away');
    cpSync('demo/wendle-mill', away, { recursive: true });
    const publish = (...words) =>
      spawnSync(process.execPath, [program, ...words], { cwd: away, encoding: 'utf8' });
    const file = join(away, 'fenestra.yaml');
    const before = readFileSync(file, 'utf8');
    const live = `{ store: cloud, bucket: wendle-mill-live, address: "${swift.addressOf('wendle-mill-live')}", private: leave-out, moved: pages }`;
    writeFileSync(
      file,
      before
        .replace(
          /^destinations:$/m,
          `stores: { cloud: { kind: swift, auth: "${swift.auth}" } }\ndestinations:`,
        )
        .replace(/live:[^]*?\} \}/, `live: ${live}`)
        .replace(
          '"/shop/*": "https://shop.wendlemill.example/*"',
          '/shop/: "https://shop.wendlemill.example/"',
        ),
    );
    Object.assign(process.env, swift.secrets);
    for (let n = 0; n < 300; n++)
      appendFileSync(join(away, 'site', `tide-table-${n}.txt`), `${n} `.repeat(40_000));
    const under = join(scratch, 'under-way');
    await terminal(
      'swift-progress',
      `cd ${away}\nsay 'fenestra publish --to live --yes'\n(sleep 5; touch ${under}) &\nfenestra publish --to live --yes`,
      { lines: 46, until: under, seconds: 60 },
    );
    for (let n = 0; n < 300; n++) rmSync(join(away, 'site', `tide-table-${n}.txt`));
    publish('publish', '--yes');
    publish('publish', '--to', 'live', '--yes', '--sure', 'wendle-mill-live');
    publish('access', 'open', '--to', 'live', '--sure', 'wendle-mill-live');
    await terminal(
      'swift-against',
      `cd ${away}\nsay 'fenestra check --to live --against rehearsal'\nfenestra check --to live --against rehearsal`,
      { lines: 26, seconds: 60 },
    );
    await changePast(swift, 'wendle-mill-live');
    await terminal(
      'mended',
      `cd ${away}\nsay 'fenestra bucket mend --to live --yes   # somebody has changed things past Fenestra'\nfenestra bucket mend --to live --yes`,
      { lines: 28, seconds: 60 },
    );
    await terminal(
      'store-check',
      `cd ${away}\nsay 'fenestra store check cloud'\nfenestra store check cloud`,
      {
        lines: 32,
        seconds: 60,
      },
    );
  } finally {
    swift.stop();
  }
}

/** Names of the site, taken half through a move by real name servers. */
async function names() {
  const shots = ['domain-records', 'domain-check', 'domain-move'];
  if (!shots.some(wanted)) return;
  const folder = join(scratch, 'names');
  const lab = (...words) =>
    spawnSync('scripts/names-lab', words, {
      encoding: 'utf8',
      env: { ...process.env, LONG: '20', PNS: '12', CNS: '20', LOW: '20' },
    });
  const own = join(scratch, 'named');
  cpSync('demo/wendle-mill', own, { recursive: true });
  rmSync(join(own, '.fenestra'), { recursive: true, force: true });
  const config = readFileSync(join(own, 'fenestra.yaml'), 'utf8');
  writeFileSync(
    join(own, 'fenestra.yaml'),
    config.replace('domains: [www', 'nameServers: [ns1.newhost.example, ns2.newhost.example], domains: [www'),
  );
  const run = (...words) => spawnSync(process.execPath, [program, ...words], { cwd: own });
  try {
    if (lab('start', folder).status !== 0) return console.log('left out: the name servers did not start');
    await terminal(
      'domain-records',
      `cd ${own}\nsay 'fenestra domain records --to live --moving-on 2026-12-01'\nfenestra domain records --to live --moving-on 2026-12-01 --root 127.53.0.1`,
      { lines: 40 },
    );
    run('domain', 'check', '--to', 'live', '--root', '127.53.0.1', '--names-only');
    lab('move', folder, 'parentsplit');
    await terminal(
      'domain-check',
      `cd ${own}\nsay 'fenestra domain check --to live --in-full'\nfenestra domain check --to live --in-full --root 127.53.0.1 --names-only`,
      { lines: 46 },
    );
    lab('move', folder, 'old-lingers');
    rmSync(join(own, '.fenestra'), { recursive: true, force: true });
    await terminal(
      'domain-move',
      `cd ${own}\nsay 'fenestra serve --to live --names --names-speed 3600'\ntimeout 40 ${process.execPath} ${program} serve --to live --names --names-speed 3600 --port 0`,
      { lines: 42, seconds: 16 },
    );
  } finally {
    lab('stop', folder);
  }
}

let browser;
try {
  await objectStore();
  await names();
  await terminal(
    'survey',
    `say 'fenestra survey --matching "*.{html,css,mjs,js,json,jpg,mp4,vtt,gpx,woff2}"'\nfenestra survey --matching '*.{html,css,mjs,js,json,jpg,mp4,vtt,gpx,woff2}'`,
    { lines: 38 },
  );
  fenestra('publish', '--yes', '--note', 'The first release');
  await terminal(
    'trace-403',
    `say 'fenestra trace /'\nfenestra trace /\necho\nsay 'fenestra access show'\nfenestra access show`,
    { lines: 36 },
  );
  const server = begin(process.execPath, [program, 'serve', '--port', '4680', '--quiet'], { cwd: home });
  await wait(1500);
  browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  const site = 'http://wendle-mill.localhost:4680';
  fenestra('access', 'open', '--sure', 'wendle-mill');
  fenestra('publish', '--to', 'live', '--yes');
  await terminal(
    'check',
    `say 'fenestra check --at http://wendle-mill.localhost:4680/'\nfenestra check --at ${site}/\necho\nsay 'fenestra check --to live'\nfenestra check --to live`,
    { lines: 24 },
  );
  await terminal(
    'front',
    `say 'fenestra trace /pictures/mark.svg --front'\nfenestra trace /pictures/mark.svg --front\necho\nsay 'fenestra visit / /visit/ --front | tail -7'\nFORCE_COLOR=1 fenestra visit / /visit/ --front | tail -7`,
    { lines: 38 },
  );
  await terminal(
    'visit',
    `say 'fenestra visit / /visit/ /mill/film/'\nfenestra visit / /visit/ /mill/film/\necho\nsay 'fenestra visit /visit/ --after "1 day" --in-full | tail -15 | head -9'\nFORCE_COLOR=1 fenestra visit /visit/ --after '1 day' --in-full | tail -15 | head -9`,
    { lines: 34 },
  );
  const cards = resolve('demo/cards');
  await terminal(
    'cost',
    `say 'fenestra cost --card quay.yaml --card lock.yaml --visitors 500000'\nfenestra cost --card ${cards}/quay.yaml --card ${cards}/lock.yaml --visitors 500000`,
    { lines: 46 },
  );
  server.kill();
  await wait(800);
  const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  appendFileSync(join(home, 'site/visit/index.html'), '<p>From May the yard opens at ten.</p>\n');
  rmSync(join(home, 'site/posters/open-day.webp'));
  cpSync(join(home, 'site/leaflet/griddle-bread.txt'), join(home, 'site/leaflet/bread.txt'));
  rmSync(join(home, 'site/leaflet/griddle-bread.txt'));
  writeFileSync(
    join(home, 'fenestra.yaml'),
    config.replace('otherwise: 2 hours', 'otherwise: 3 hours').replace('/tickets:', '/booking:'),
  );
  await terminal(
    'publish',
    `say 'fenestra publish --yes --note "Summer hours"'\nfenestra publish --yes --note 'Summer hours'`,
    { lines: 36 },
  );
  await terminal(
    'history',
    `say 'fenestra history'\nfenestra history\necho\nsay 'fenestra history 2'\nfenestra history 2`,
    { lines: 34 },
  );
  if (wanted('versioned')) {
    const versioned = join(scratch, 'versioned');
    cpSync('demo/wendle-mill', versioned, { recursive: true });
    appendFileSync(
      join(versioned, 'fenestra.yaml'),
      '\nversioned: ["styles/**", "assets/**", "pictures/**"]\n',
    );
    const run = (...words) => spawnSync(process.execPath, [program, ...words], { cwd: versioned });
    run('publish', '--yes');
    run('access', 'open', '--sure', 'wendle-mill');
    cpSync(join(versioned, 'site/pictures/mark.svg'), join(versioned, 'mark.svg'));
    appendFileSync(join(versioned, 'site/pictures/mark.svg'), '<!-- Redrawn. -->\n');
    await terminal(
      'versioned',
      `cd ${versioned}\nsay 'fenestra publish --yes'\nfenestra publish --yes\necho\nsay 'fenestra survey --references pictures/mark.svg | head -8'\nFORCE_COLOR=1 fenestra survey --references pictures/mark.svg | head -8`,
      { lines: 46 },
    );
  }
  if (wanted('adopting')) {
    const found = join(scratch, 'adopting');
    cpSync('demo/wendle-mill/site', join(found, 'site'), { recursive: true });
    const logged = ['/feed', '/aktuell/tides'].map(
      (path) => `10.0.0.7 - - [02/Dec/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 301 0 "-" "-"\n`,
    );
    writeFileSync(join(found, 'access.log'), logged.join(''));
    begin(process.execPath, ['scripts/old-server.mjs', join(found, 'site'), '4890'], {
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    const words =
      'fenestra init site --at http://127.0.0.1:4890/ --mine --log access.log --bucket wendle-mill';
    await terminal(
      'adopting',
      `cd ${found}\nsay '${words}'\n${words}\necho\nsay 'tail -8 fenestra.yaml'\ntail -8 fenestra.yaml`,
      { lines: 44 },
    );
  }
  const faulty = join(scratch, 'as-it-arrived');
  cpSync('demo/as-it-arrived', faulty, { recursive: true });
  const there = (...words) =>
    spawnSync(process.execPath, [program, ...words], { cwd: faulty, encoding: 'utf8' });
  there('publish', '--yes', '--sure', 'wendle-mill');
  await terminal(
    'check-faulty',
    `cd ${faulty}\nsay 'fenestra check | head -42'\nFORCE_COLOR=1 fenestra check | head -42`,
    { lines: 44 },
  );
  there('check', '--report', 'check.html');
  for (const [name, viewport, colorScheme, part] of [['report', { width: 1280, height: 800 }, 'light', '']]) {
    if (!wanted(name)) continue;
    const sheet = await browser.newPage({ viewport, colorScheme });
    await sheet.goto(`file://${faulty}/check.html${part}`);
    await sheet.screenshot({ path: join(pictures, `${name}.png`) });
    await sheet.close();
  }
} finally {
  await browser?.close();
  for (const child of started) child.kill();
  // What was under way when its picture was taken may still be writing.
  rmSync(scratch, { recursive: true, force: true, maxRetries: 50, retryDelay: 200 });
}
