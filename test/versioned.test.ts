import { hash } from 'node:crypto';
import { appendFileSync, cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import type { SurveyJson } from '../src/report/json/survey-json.js';
import type { SweepJson } from '../src/report/json/sweep-json.js';
import { ask } from './helpers/ask.js';
import { launchChromium, watchPage } from './helpers/chromium.js';
import {
  DEMO,
  fenestra,
  fenestraJson,
  fenestraLater,
  makeFolder,
  makeProject,
  PAGE,
  serve,
  writeFiles,
  type Serving,
} from './helpers/program.js';
import { describeWith, need } from './helpers/machine.js';

const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
documents: { index: index.html, error: not-found.html }
versioned: ["a/**"]
keepPlain: false
`;
const head = (tags: string): string => PAGE.replace('<title>', `${tags}<title>`);
const namesOf = ({ objects }: SurveyJson): Record<string, string> =>
  Object.fromEntries(
    objects.flatMap(({ key, plainKey }) => (plainKey === undefined ? [] : [[plainKey, key]])),
  );

describe.each([
  {
    name: 'python3-doc' as const,
    site: '/usr/share/doc/python3.11/html',
    patterns: ['_static/**', '_images/**'],
    picture: '_images/tk_msg.png',
    // Its largest parts are read by `npm run bench:sites`.
    without: ['library', '_sources', 'whatsnew', 'c-api'],
  },
  {
    name: 'git-doc' as const,
    site: '/usr/share/doc/git-doc',
    patterns: ['howto/**'],
    picture: 'howto/new-command.txt',
    without: [],
  },
  // Made of modules that import each other.
  {
    name: 'novnc' as const,
    site: '/usr/share/novnc',
    patterns: ['app/**', 'core/**', 'vendor/**'],
    picture: 'core/util/logging.js',
    without: [],
  },
])('a site that nobody here has written: $name', ({ name, site, patterns, picture, without }) => {
  it('is published under versioned names without a new finding, and a change renames what depends on it alone', async (context) => {
    need(context, name);
    const home = makeFolder();
    const isLeftOut = new Set<string>(without.map((folder) => join(site, folder)));
    cpSync(site, join(home, 'site'), {
      recursive: true,
      dereference: true,
      filter: (path) => !isLeftOut.has(path),
    });
    const config = 'site: site\ndestinations: { rehearsal: { store: here, bucket: real-site } }\n';
    const write = (more: string): void => writeFileSync(join(home, 'fenestra.yaml'), config + more);
    const countFindings = async (): Promise<Record<string, number>> => {
      const { out } = await fenestra(home, 'check', '--json', '--fail-on', 'error', '--expect', 'closed');
      const { findings, probes } = JSON.parse(out) as CheckJson;
      expect(probes.failed).toBe(0);
      const counts: Record<string, number> = {};
      for (const { rule } of findings) counts[rule] = (counts[rule] ?? 0) + 1;
      return counts;
    };
    write('');
    await fenestra(home, 'publish', '--yes', '--sure', 'real-site');
    const plain = await countFindings();
    write(`versioned: ${JSON.stringify(patterns)}\nkeepPlain: false\n`);
    await fenestra(home, 'publish', '--yes', '--sure', 'real-site');
    expect(await countFindings()).toEqual(plain);
    const again = await fenestraJson<PublishJson>(home, 'publish', '--yes');
    expect(again.changes).toEqual([]);

    const before = namesOf(await fenestraJson<SurveyJson>(home, 'survey'));
    expect(Object.keys(before).length).toBeGreaterThan(5);
    appendFileSync(join(home, 'site', picture), '\n');
    const after = namesOf(await fenestraJson<SurveyJson>(home, 'survey'));
    const renamed = Object.keys(before).filter((key) => before[key] !== after[key]);
    expect(renamed.sort()).toEqual(dependents(join(home, 'site'), Object.keys(before), picture));
  }, 400_000);
});

/** Which of some texts lead to one of them, by a reading of its own: whatever looks like an address, resolved. */
function dependents(folder: string, keys: readonly string[], changed: string): string[] {
  const known = new Set(keys);
  const namedBy = (key: string): string[] => {
    if (!/\.(?:js|css|svg|html)$/.test(key)) return [];
    const text = readFileSync(join(folder, key), 'latin1');
    const patterns = [
      /\bfrom\s+["']([^"']+)["']/g,
      /\bimport\s+["']([^"']+)["']/g,
      /url\(\s*["']?([^"')]+)/g,
      /@import\s+["']([^"']+)/g,
    ];
    return patterns.flatMap((pattern) =>
      [...text.matchAll(pattern)].flatMap((match) => {
        const target = new URL(match[1] ?? '', `http://own.example/${key}`).pathname.slice(1);
        return known.has(target) ? [target] : [];
      }),
    );
  };
  const graph = new Map(keys.map((key) => [key, namedBy(key)]));
  const reached = new Set([changed]);
  for (let size = 0; size !== reached.size;) {
    size = reached.size;
    for (const [key, named] of graph) if (named.some((each) => reached.has(each))) reached.add(key);
  }
  return [...reached].sort();
}

/** A page as it is drawn once nothing on it changes any more. */
async function drawSettled(page: Page): Promise<Buffer> {
  await page.waitForFunction(
    '[...document.querySelectorAll("video, audio")].every((each) => each.preload === "none" || each.readyState > 0)',
  );
  let drawn = await page.screenshot({ fullPage: true, animations: 'disabled' });
  for (;;) {
    const again = await page.screenshot({ fullPage: true, animations: 'disabled' });
    if (again.equals(drawn)) return drawn;
    drawn = again;
  }
}

describeWith(['Chromium'], 'in a browser', () => {
  let browser: Browser;
  const servers: Serving[] = [];
  beforeAll(async () => {
    // Pictures that move would be caught at another moment each time.
    browser = await launchChromium('--blink-settings=imageAnimationPolicy=2');
  });
  afterAll(async () => {
    await browser.close();
    for (const server of servers) await server.stop();
  });

  async function publishDemo(more: string): Promise<{ home: string; site: string; server: Serving }> {
    const home = makeFolder();
    cpSync(DEMO, home, { recursive: true });
    rmSync(join(home, '.fenestra'), { recursive: true, force: true });
    const module = readFileSync(join(home, 'site/assets/tide-table.mjs'));
    const integrity = `sha384-${hash('sha384', module, 'base64')}`;
    const times = join(home, 'site/times/index.html');
    writeFileSync(
      times,
      readFileSync(times, 'utf8').replace(
        '<script type="module" src="/assets/tide-table.mjs">',
        `<script type="module" src="/assets/tide-table.mjs" integrity="${integrity}">`,
      ),
    );
    // So that its own bytes change with the name of what it imports.
    cpSync(join(home, 'site/assets/format-row.3f9c2a7b.js'), join(home, 'site/assets/format-row.js'));
    writeFileSync(
      join(home, 'site/assets/tide-table.mjs'),
      module.toString().replace('./format-row.3f9c2a7b.js', './format-row.js'),
    );
    const changed = readFileSync(join(home, 'site/assets/tide-table.mjs'));
    writeFileSync(
      times,
      readFileSync(times, 'utf8').replace(integrity, `sha384-${hash('sha384', changed, 'base64')}`),
    );
    appendFileSync(join(home, 'fenestra.yaml'), more);
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'wendle-mill');
    const server = await serve(home);
    servers.push(server);
    return { home, server, site: `http://wendle-mill.localhost:${server.port}` };
  }

  it('draws every page of the demo site pixel for pixel as without versioned names, and nothing is missing', async () => {
    const plain = await publishDemo('');
    const named = await publishDemo(
      '\nversioned: ["assets/**", "styles/**", "pictures/**", "fonts/**", "film/**", "icons/**", "posters/**"]\n',
    );
    const { objects } = await fenestraJson<SurveyJson>(named.home, 'survey');
    expect(objects.filter(({ plainKey }) => plainKey !== undefined).length).toBeGreaterThan(20);
    const paths = objects
      .filter(({ key, public: isPublic }) => isPublic && key.endsWith('index.html'))
      .map(({ key }) => `/${key.slice(0, -'index.html'.length)}`);
    expect(paths.length).toBeGreaterThan(8);
    const drawBoth = async (path: string): Promise<Buffer[]> => {
      const drawn: Buffer[] = [];
      for (const { site } of [plain, named]) {
        const { page, troubles } = await watchPage(browser, site + path);
        await page.setViewportSize({ width: 1280, height: 800 });
        await page.goto(site + path, { waitUntil: 'networkidle' });
        if (path === '/times/') expect(await page.locator('#tides tbody tr').count()).toBe(7);
        expect([path, troubles]).toEqual([path, []]);
        drawn.push(await drawSettled(page));
        await page.close();
      }
      return drawn;
    };
    for (const path of [...paths, '/no/such/page']) {
      // A film may have been drawn while it loaded; what is true of the page is true each time.
      for (let tries = 1; ; tries++) {
        const [one, other] = await drawBoth(path);
        const equal = one?.equals(other ?? Buffer.alloc(0));
        if (!equal && tries < 5) continue;
        expect([path, equal]).toEqual([path, true]);
        break;
      }
    }
    // Nothing is asked for under a plain name that has a versioned one.
    const plainNames = new Set(objects.flatMap(({ plainKey }) => plainKey ?? []));
    const asked = [...named.server.log().matchAll(/GET \S*?localhost\S*?\/(\S*)/g)].map(
      (match) => match[1] ?? '',
    );
    expect(asked.filter((path) => plainNames.has(path))).toEqual([]);
  }, 300_000);

  it('finds all that an old page asks for as long as the page may be held, and no longer', async () => {
    const far = '<div style="height:9000px"></div><img loading="lazy" width="9" height="9" src="/a/far.svg">';
    const picture = (colour: string): string =>
      `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path fill="${colour}" d="M0 0h9v9z"/></svg>`;
    const home = makeProject(
      { 'site/index.html': PAGE.replace('</html>', `${far}</html>`), 'site/a/far.svg': picture('teal') },
      `${CONFIG}assign:\n  - { to: index.html, cache: 2 hours }\n`,
    );
    await fenestra(home, 'publish', '--yes');
    await fenestra(home, 'access', 'open', '--sure', 'test-mill');
    const old = namesOf(await fenestraJson<SurveyJson>(home, 'survey'))['a/far.svg'] ?? '';
    const server = await serve(home);
    servers.push(server);
    const url = `http://test-mill.localhost:${server.port}/`;
    const context = await browser.newContext();
    const first = await watchPage(context, url);
    await first.page.goto(url, { waitUntil: 'networkidle' });
    expect(server.log()).not.toContain('far.');
    await first.page.close();

    writeFiles(home, { 'site/a/far.svg': picture('navy') });
    const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
    expect(waiting.map(({ key, plainKey, because }) => [key, plainKey, because])).toEqual([
      [old, 'a/far.svg', 'index.html'],
    ]);
    const left = (Date.parse(waiting[0]?.until ?? '') - Date.now()) / 1000;
    expect(Math.abs(left - 7200)).toBeLessThan(120);

    // The page comes from the browser's cache, and asks for what it was made for.
    const pages = (): number =>
      server
        .log()
        .split('GET')
        .filter((line) => / \S*localhost\S*\/ /.test(line)).length;
    const before = pages();
    const second = await watchPage(context, url);
    await second.page.goto(url, { waitUntil: 'networkidle' });
    expect(pages()).toBe(before);
    const answered = second.page.waitForResponse((response) => response.url().includes('/a/far.'));
    await second.page.locator('img').scrollIntoViewIfNeeded();
    expect([(await answered).status(), (await answered).url()]).toEqual([200, url + old]);
    expect(second.troubles).toEqual([]);
    await context.close();

    const statusNow = async (): Promise<number> => (await ask(server.port, `/${old}`)).status;
    expect((await fenestraLater(home, left - 60, 'sweep')).out).toContain('Nothing is due');
    expect(await statusNow()).toBe(200);
    expect((await fenestraLater(home, left + 60, 'sweep')).out).toContain('Published release 3');
    expect(await statusNow()).toBe(404);
  }, 120_000);
});

test('what waits is listed, comes back without being sent, and goes with the next publish once it is due', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/a/mill.css': 'p { color: teal }',
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  writeFiles(home, { 'site/a/mill.css': 'p { color: navy }' });
  const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
  const [first] = waiting;
  expect(first?.plainKey).toBe('a/mill.css');
  for (const words of [['history'], ['bucket', 'show'], ['sweep', '--dry-run']]) {
    const { out } = await fenestra(home, ...words);
    expect(out).toContain(`a/mill.css → ${first?.key}`);
  }
  const traced = await fenestra(home, 'trace', `/${first?.key}`, '--json');
  expect(traced.out).toContain('it is removed after');
  const restored = await fenestraJson<PublishJson>(home, 'restore', '1', '--yes');
  expect(restored.totals.toSend).toBe(0);
  expect(restored.changes.find(({ key }) => key === first?.key)).toMatchObject({
    change: 'add',
    waited: true,
  });
  expect(restored.waiting.map(({ plainKey }) => plainKey)).toEqual(['a/mill.css']);
  const shown = await fenestraLater(home, 2 * 3600, 'publish', '--yes', '--json');
  const published = JSON.parse(shown.out) as PublishJson;
  // The navy one comes back into the release before its time is looked at; the teal one is taken out again.
  expect(published.changes.some(({ change }) => change === 'remove')).toBe(true);
  const end = JSON.parse((await fenestraLater(home, 4 * 3600, 'sweep', '--json')).out) as SweepJson;
  expect([end.due.length, end.waiting]).toEqual([1, []]);
  expect(JSON.parse((await fenestraLater(home, 4 * 3600, 'sweep', '--json')).out)).toMatchObject({
    release: null,
  });
});

test.each([
  ['0', 0],
  ['30 minutes', 1800],
  ['computed', 30 * 86_400],
])('keepRemoved: %s', async (setting, seconds) => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/a/mill.css': '@import "inner.css";',
      'site/a/inner.css': 'p { color: teal }',
    },
    `${CONFIG}keepRemoved: ${setting}\nassign:\n  - { to: "*.html", cache: 30 days }\n`,
  );
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, { 'site/a/inner.css': 'p { color: navy }' });
  const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
  const left = waiting.map(({ plainKey, until }) => [
    plainKey,
    Math.round((Date.parse(until) - Date.now()) / 600_000),
  ]);
  // What a style of the old page leads to is needed as long as the page.
  expect(left.sort()).toEqual(
    seconds === 0 ? [] : ['a/inner.css', 'a/mill.css'].map((key) => [key, seconds / 600]),
  );
});

test('a page that was replaced before still counts when what it asked for goes at last', async () => {
  const link = (name: string): string => head(`<link rel="stylesheet" href="/a/${name}.css">`);
  const home = makeProject(
    {
      'site/index.html': link('mill'),
      'site/other.html': link('mill'),
      'site/a/mill.css': 'p { color: teal }',
      'site/a/new.css': '',
    },
    `${CONFIG}assign:\n  - { to: index.html, cache: 30 days }\n`,
  );
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, { 'site/index.html': link('new') });
  expect((await fenestraJson<PublishJson>(home, 'publish', '--yes')).waiting).toEqual([]);
  rmSync(join(home, 'site/a/mill.css'));
  writeFiles(home, { 'site/other.html': link('new') });
  const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
  expect(
    waiting.map(({ plainKey, until }) => [
      plainKey,
      Math.round((Date.parse(until) - Date.now()) / 86_400_000),
    ]),
  ).toEqual([['a/mill.css', 30]]);
});

test('both names are known everywhere, patterns match the plain one, and a private object stays private', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/a/mill.css': 'p { color: teal }',
      'site/a/secret.css': 'p { color: navy }',
    },
    `${CONFIG.replace('keepPlain: false', 'keepPlain: ["a/kept.css"]')}readable: { keys: ["**"], except: ["a/secret.css"] }\n`,
  );
  writeFiles(home, { 'site/a/kept.css': 'p { margin: 0 }' });
  const survey = await fenestraJson<SurveyJson>(home, 'survey', '--matching', 'a/*.css');
  expect(
    survey.objects
      .map(({ plainKey = '', public: open, cacheControl }) => [plainKey, open, cacheControl])
      .sort(),
  ).toEqual([
    ['', true, 'no-cache'],
    ['a/kept.css', true, 'max-age=31536000, immutable'],
    ['a/mill.css', true, 'max-age=31536000, immutable'],
    ['a/secret.css', false, 'max-age=31536000, immutable'],
  ]);
  const names = namesOf(survey);
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const statusOf = async (path: string): Promise<[number, string | undefined]> => {
    const { out } = await fenestra(home, 'trace', path, '--json');
    const { status, fix } = JSON.parse(out) as { status: number; fix?: string };
    return [status, fix];
  };
  expect((await statusOf(`/${names['a/secret.css']}`))[0]).toBe(403);
  expect(await statusOf(`/${names['a/mill.css']}`)).toEqual([200, undefined]);
  expect((await statusOf('/a/kept.css'))[0]).toBe(200);
  const [status, fix] = await statusOf('/a/mill.css');
  expect([status, fix?.includes(`/${names['a/mill.css']}`)]).toEqual([404, true]);
  const { out } = await fenestra(home, 'survey', '--references', 'a/mill.css');
  expect(out).toContain(`/${names['a/mill.css']}`);
  writeFiles(home, { 'site/a/mill.css': 'p { color: red }' });
  const diff = await fenestra(home, 'publish', '--diff', 'a/mill.css');
  expect(diff.out).toContain('+p { color: red }');
  writeFiles(home, { 'site/a/broken.css': 'p { background: url(none.png) }' });
  await fenestra(home, 'publish', '--yes');
  const checked = await fenestra(home, 'check');
  expect(checked.out).toMatch(/a\/broken\.css → a\/broken\.[0-9a-f]{8}\.css:1: "none\.png"/);
  const unpublished = await fenestra(home, 'visit', '/', '--unpublished', '--json');
  expect(unpublished.out).toMatch(/\/a\/mill\.[0-9a-f]{8}\.css[\s\S]*"plainKey": "a\/mill\.css"/);
  const visited = await fenestra(home, 'visit', '/', '--unpublished', '--in-full');
  expect(visited.out).toMatch(/\/a\/mill\.css → \/a\/mill\.[0-9a-f]{8}\.css/);
});

test('a release is written as files, with what each is sent with beside them', async () => {
  const home = makeProject({ 'site/a/mill.css': 'p { color: teal }', 'site/visit/index.html': PAGE }, CONFIG);
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, { 'site/a/mill.css': 'p { color: navy }' });
  await fenestra(home, 'publish', '--yes');
  const exported = await fenestraJson(home, 'bucket', 'export', 'copy', '--release', '1');
  expect(exported).toMatchObject({ release: 1, objects: 4 });
  const lines = readFileSync(join(home, 'copy/headers.jsonl'), 'utf8').trim().split('\n');
  const objects = lines.map(
    (line) =>
      JSON.parse(line) as { key: string; plainKey?: string; digest: string; size: number; headers: object },
  );
  for (const { key, digest, size } of objects) {
    const bytes = readFileSync(join(home, 'copy', key));
    expect([hash('sha256', bytes, 'hex'), bytes.length]).toEqual([digest, size]);
  }
  const [style] = objects.filter(({ plainKey }) => plainKey === 'a/mill.css');
  expect(readFileSync(join(home, 'copy', style?.key ?? ''), 'utf8')).toBe('p { color: teal }');
  expect(style?.headers).toMatchObject({ 'Cache-Control': 'max-age=31536000, immutable' });
  const again = await fenestra(home, 'bucket', 'export', 'copy');
  expect([again.code, again.err]).toEqual([4, expect.stringContaining('it holds files already')]);
});

test('texts in another charset, and those that are compressed, are rewritten and nothing else in them is', async () => {
  const page = Buffer.from(
    '<!doctype html><html lang=de><title>M\xfchle</title><p>\x80<img src=/a/x.svg>\xfc</p>',
    'latin1',
  );
  const home = makeProject(
    {
      'site/alt.html': page,
      'site/a/x.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
      'site/a/y.css': '@import "z.css";',
      'site/a/z.css': 'p { color: teal }',
    },
    `${CONFIG}assign:\n  - { to: alt.html, contentType: text/html; charset=windows-1252 }\n  - { to: "*.css", encoding: gzip }\n`,
  );
  await fenestra(home, 'publish', '--yes');
  const names = namesOf(await fenestraJson<SurveyJson>(home, 'survey'));
  await fenestra(home, 'bucket', 'export', 'copy');
  const published = readFileSync(join(home, 'copy/alt.html')).toString('latin1');
  expect(published).toBe(page.toString('latin1').replace('a/x.svg', names['a/x.svg'] ?? ''));
  const { gunzipSync } = await import('node:zlib');
  const style = gunzipSync(readFileSync(join(home, 'copy', names['a/y.css'] ?? ''))).toString();
  expect(`a/${/"([^"]+)"/.exec(style)?.[1]}`).toBe(names['a/z.css']);
  const { code, out } = await fenestra(home, 'check', '--expect', 'closed');
  expect([code, out.includes('reference-missing')]).toEqual([0, false]);
});

test('a name that a file has already is a fault that says which', async () => {
  const home = makeProject({ 'site/a/x.css': 'p { color: teal }' }, CONFIG);
  const names = namesOf(await fenestraJson<SurveyJson>(home, 'survey'));
  writeFiles(home, { [`site/${names['a/x.css']}`]: 'taken' });
  const { code, err } = await fenestra(home, 'publish', '--yes');
  expect([code, err]).toEqual([2, expect.stringContaining('become one key')]);
});

test('a part brings new versions along and takes none out that something else may name', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/other.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/a/mill.css': 'p { color: teal }',
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, { 'site/a/mill.css': 'p { color: navy }' });
  const { changes } = await fenestraJson<PublishJson>(home, 'publish', '--matching', 'index.html', '--yes');
  expect(changes.map(({ change, key, plainKey }) => `${change} ${plainKey ?? key}`).sort()).toEqual([
    'add a/mill.css',
    'replace index.html',
  ]);
  const { code, out } = await fenestra(home, 'check', '--expect', 'closed', '--json');
  expect([code, out.includes('reference-missing')]).toEqual([0, false]);
  const whole = await fenestraJson<PublishJson>(home, 'publish', '--yes', '--prove');
  expect(whole.changes.map(({ change, key, plainKey }) => `${change} ${plainKey ?? key}`).sort()).toEqual([
    'remove a/mill.css',
    'replace other.html',
  ]);
});

test('the folder is hosted as it would be published, and edits rename what they change', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/a/mill.css">'),
      'site/a/mill.css': 'p { color: teal }',
    },
    CONFIG,
  );
  const server = await serve(home, '--unpublished');
  const styleOf = async (): Promise<string> =>
    /\/a\/mill\.[0-9a-f]{8}\.css/.exec((await ask(server.port, '/')).body.toString())?.[0] ?? '';
  const first = await styleOf();
  expect((await ask(server.port, first)).body.toString()).toBe('p { color: teal }');
  writeFiles(home, { 'site/a/mill.css': 'p { color: navy }' });
  await expect.poll(styleOf, { timeout: 10_000 }).not.toBe(first);
  expect((await ask(server.port, await styleOf())).body.toString()).toBe('p { color: navy }');
  await server.stop();
});

describe('what an open page may still ask for', () => {
  const style = (colour: string): string => `p { color: ${colour} }`;
  const linked = head('<link rel="stylesheet" href="/a/mill.css">');

  test('stays where its page went with a part, and the rest with the next publish', async () => {
    const home = makeProject(
      { 'site/index.html': linked, 'site/other.html': linked, 'site/a/mill.css': style('teal') },
      CONFIG,
    );
    await fenestra(home, 'publish', '--yes');
    const old = namesOf(await fenestraJson<SurveyJson>(home, 'survey'))['a/mill.css'] ?? '';
    writeFiles(home, { 'site/a/mill.css': style('navy') });
    await fenestraJson(home, 'publish', '--yes', '--matching', 'index.html');
    await fenestraJson(home, 'publish', '--yes', '--matching', 'other.html');
    const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
    expect(waiting.map(({ key }) => key)).toEqual([old]);
    const left = Date.parse(waiting[0]?.until ?? '') - Date.now();
    expect(Math.abs(left - 3_600_000)).toBeLessThan(120_000);
  });

  test('stays where the page no longer names it, and it goes with a later publish', async () => {
    const home = makeProject({ 'site/index.html': linked, 'site/a/mill.css': style('teal') }, CONFIG);
    await fenestra(home, 'publish', '--yes');
    const old = namesOf(await fenestraJson<SurveyJson>(home, 'survey'))['a/mill.css'] ?? '';
    writeFiles(home, { 'site/index.html': PAGE });
    await fenestraJson(home, 'publish', '--yes');
    rmSync(join(home, 'site/a'), { recursive: true });
    writeFiles(home, { 'site/a/other.css': style('red') });
    const { waiting } = await fenestraJson<PublishJson>(home, 'publish', '--yes');
    expect(waiting.map(({ key }) => key)).toEqual([old]);
  });
});
