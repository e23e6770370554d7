/** Budgets, visits under other circumstances, and what a browser teaches: by the built program on real files. */
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import type { VisitJson } from '../src/report/json/visit-json.js';
import { visitAs, type Browsed } from './helpers/browsed.js';
import { launchChromium } from './helpers/chromium.js';
import { need } from './helpers/machine.js';
import { fenestra, fenestraJson, makeProject, PAGE, writeFiles } from './helpers/program.js';

const head = (tags: string): string =>
  PAGE.replace('<title>', `<link rel="icon" href="data:,">${tags}<title>`);
const FILES = {
  'site/index.html': head('<link rel="stylesheet" href="/site.css"><script src="/site.js"></script>'),
  'site/news/index.html': head('<link rel="stylesheet" href="/site.css">'),
  'site/site.css': 'body { background: url(wave.svg) }',
  'site/wave.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
  'site/site.js': 'fetch("/tides.json?week=3").then(() => import("/more.js"));',
  'site/tides.json': '{}',
  'site/more.js': 'export {};',
};
const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
`;
const BUDGETS = `budgets:
  - { pages: "**", first: { requests: 3, bytes: 1 MB }, again: { requests: 4 } }
  - pages: [news/**]
    first: { bytes: 100, seconds: 0.01 }
`;
const totals = (visits: VisitJson['visits']): object[] =>
  visits.map(({ kind, after, requests, revalidated, fromCache, bytes }) => ({
    ...{ kind, after, requests, revalidated, fromCache, bytes },
  }));

test('a page over its budget is an error of check and of visit, with the line that says so', async () => {
  const home = makeProject(FILES, CONFIG + BUDGETS);
  await fenestra(home, 'publish', '--yes');
  const { code, out, err } = await fenestra(home, 'visit', '/', '/news/');
  expect([code, err]).toEqual([1, '']);
  expect(out).toContain('2 pages of 2 over budget');
  expect(out).toContain(
    '/: a first visit takes 4 requests and what 1 script may ask for; its budget is 3 requests (line 4 of the config)',
  );
  expect(out).toMatch(
    /\/news\/: a first visit takes [\d.]+ KB; its budget is 100 B \(line 5 of the config\)/,
  );
  // As a walk the second page finds the style in the cache; its budget is that of whoever comes to it first.
  const { overBudget } = JSON.parse(
    (await fenestra(home, 'visit', '/', '/news/', '--json')).out,
  ) as VisitJson;
  expect(overBudget.map(({ key, figure, line }) => [key, figure, line])).toEqual([
    ['index.html', 'requests', 4],
    ['news/index.html', 'bytes', 5],
    ['news/index.html', 'seconds', 5],
  ]);
  for (const more of [[], ['--unpublished']]) {
    const checked = JSON.parse(
      (
        await fenestra(
          home,
          'check',
          '--expect',
          'closed',
          '--report',
          'check.sarif',
          '--report',
          'check.xml',
          '--json',
          ...more,
        )
      ).out,
    ) as CheckJson;
    const over = checked.findings.filter(({ rule }) => rule === 'over-budget');
    expect(over.map(({ key }) => key)).toEqual(['index.html', 'news/index.html', 'news/index.html']);
    expect(checked.passed).toBe(false);
    const sarif = readFileSync(join(home, 'check.sarif'), 'utf8');
    expect(sarif).toContain('"ruleId": "over-budget"');
    expect(readFileSync(join(home, 'check.xml'), 'utf8')).toContain('over-budget');
  }
  writeFiles(home, {
    'fenestra.yaml': CONFIG + BUDGETS.replace('requests: 3', 'requests: 4').replace(/ {2}- pages:[^]*/, ''),
  });
  const within = await fenestra(home, 'visit', '/', '/news/');
  expect([within.code, within.out.includes('✓ 2 pages within their budgets')]).toEqual([0, true]);
});

test.each([
  ['{ pages: "**" }', 'the budget limits nothing'],
  ['{ first: { requests: 3 } }', 'budgets[0].pages is missing'],
  ['{ pages: "**", first: { requests: -1 } }', 'budgets[0].first.requests is at least 0'],
  ['{ pages: "**", first: { bytes: many } }', '"many" is not a size'],
  ['{ pages: "**", again: { second: 3 } }', 'did you mean seconds?'],
  ['{ pages: "/x/", first: { requests: 3 } }', '"/x/"'],
])('a budget that says nothing sensible: %s', async (budget, said) => {
  const home = makeProject(FILES, `${CONFIG}budgets: [${budget}]\n`);
  const { code, err } = await fenestra(home, 'visit', '--unpublished');
  expect([code, err]).toEqual([2, expect.stringContaining(said)]);
});

test('with a line more it is what it would be with that line in the config, published or not', async () => {
  const home = makeProject(FILES, CONFIG);
  await fenestra(home, 'publish', '--yes');
  const lines = ['- { to: "*.css", cache: 30 days }', 'to: "*.svg", cache: never'];
  const words = ['/', '/news/', '--after', '0 seconds, 40 days', '--reload'];
  const what = ['--with', lines[0] ?? '', '--with', lines[1] ?? ''];
  const published = await visitAs<VisitJson>(home, ...words, ...what);
  const folder = await visitAs<VisitJson>(home, ...words, ...what, '--unpublished');
  const text = await fenestra(home, 'visit', ...words, ...what);
  expect(text.out).toContain('What if: release 1 beside the same with 2 lines more');
  expect(text.out).toMatch(/\/site\.css +304 +→ cache +fresh for 30 days more/);
  writeFiles(home, {
    'fenestra.yaml': `${CONFIG}assign:\n  ${lines[0] ?? ''}\n  - { ${lines[1] ?? ''} }\n`,
  });
  await fenestra(home, 'publish', '--yes');
  const after = await visitAs<VisitJson>(home, ...words);
  expect(totals(published.other?.visits as VisitJson['visits'])).toEqual(totals(after.visits));
  expect(totals(folder.other?.visits as VisitJson['visits'])).toEqual(totals(after.visits));
  // And beside the release before, the other way round.
  const former = await visitAs<VisitJson>(home, ...words, '--release', '1');
  expect(totals(former.other?.visits as VisitJson['visits'])).toEqual(totals(published.visits));
  expect(
    former.other?.differences.map(({ kind, url, was, becomes }) => [
      kind,
      new URL(url).pathname,
      was?.from,
      becomes?.from,
    ])[0],
  ).toEqual(['first', '/site.css', 'cache', 'revalidated']);
});

test.each([
  [['--with', 'to: "*.css", cahce: 1 day'], 2, 'perhaps cache is meant'],
  [['--with', 'to: "*.css", cache: 1 dya'], 2, 'perhaps 1 day is meant'],
  [['--with', '- { to: "*.css" '], 2, '--with \'- { to: "*.css" \''],
  [['--with', 'to: "*.css", encoding: gzip'], 2, '--unpublished'],
  [['--release', '9'], 2, 'release 9'],
  [['--release', 'x'], 2, '"x" is not a number'],
  [['--release', '1', '--at', 'http://a.invalid/'], 2, '--release is for what this project publishes'],
])('what cannot be asked for: %j', async (words, exit, said) => {
  const home = makeProject(FILES, CONFIG);
  await fenestra(home, 'publish', '--yes');
  const { code, err } = await fenestra(home, 'visit', '/', ...words);
  expect([code, err]).toEqual([exit, expect.stringContaining(said)]);
});

test('what a browser was seen to ask for counts until a text of the page changes', async (context) => {
  need(context, 'Chromium');
  const home = makeProject(FILES, CONFIG);
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const words = ['/', '--after', '0 seconds'];
  const before = await visitAs<Browsed>(home, ...words, '--browser');
  const paths = (visit: VisitJson['visits'][number] | undefined): string[] =>
    (visit?.responses ?? []).map(({ url }) => new URL(url).pathname + new URL(url).search).sort();
  expect(
    before.differences.map(({ url }) => new URL(url).pathname).filter((path) => path === '/more.js'),
  ).not.toEqual([]);
  const taught = await visitAs<Browsed>(home, ...words, '--browser');
  expect(taught.differences).toEqual([]);
  const [first] = taught.visits;
  expect(paths(first)).toEqual(['/', '/more.js', '/site.css', '/site.js', '/tides.json?week=3', '/wave.svg']);
  expect(
    first?.responses
      .filter(({ seen }) => seen)
      .map(({ use }) => use)
      .sort(),
  ).toEqual(['data', 'script']);
  expect(taught.unknown).toMatchObject({ scripts: 0, seen: 1 });
  // An old page that a visitor holds asks for what its script was seen to ask for.
  writeFiles(home, { 'fenestra.yaml': `${CONFIG}assign:\n  - { to: index.html, cache: 10 days }\n` });
  await fenestra(home, 'publish', '--yes');
  rmSync(join(home, 'site/tides.json'));
  writeFiles(home, { 'site/index.html': FILES['site/news/index.html'] });
  const { stale } = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
  expect(stale.map(({ key, mixesWith }) => [key, mixesWith])).toEqual([['index.html', ['tides.json']]]);
  writeFiles(home, FILES);
  writeFiles(home, { 'site/site.js': 'fetch("/tides.json?week=3").then(() => import("/more.js")); void 1;' });
  const changed = await visitAs<VisitJson>(home, ...words, '--unpublished');
  expect(paths(changed.visits[0])).toEqual(['/', '/site.css', '/site.js', '/wave.svg']);
  expect(changed.unknown).toMatchObject({ scripts: 1, seen: 0 });
});

test('the report of a visit shows what is checked, in the order that is chosen, without a script', async (context) => {
  need(context, 'Chromium');
  const home = makeProject(FILES, CONFIG + BUDGETS);
  await fenestra(home, 'publish', '--yes');
  await fenestra(
    home,
    'visit',
    '/',
    '/news/',
    '--report',
    'visit.html',
    '--with',
    'to: "*.css", cache: 1 day',
  );
  const browser = await launchChromium();
  try {
    const page = await browser.newPage({ javaScriptEnabled: true });
    await page.goto(`file://${join(home, 'visit.html')}`);
    for (const each of await page.locator('.loads details').all())
      await each.evaluate((element) => element.setAttribute('open', ''));
    const shown = async (): Promise<string[]> =>
      page
        .locator('.loads details')
        .first()
        .locator('table')
        .first()
        .locator('tr:visible th')
        .allTextContents();
    expect(await shown()).toEqual(['/', '/site.css', '/site.js', '/wave.svg']);
    await page.uncheck('#k-script');
    expect(await shown()).toEqual(['/', '/site.css', '/wave.svg']);
    await page.check('#o-bytes');
    const tops = await page
      .locator('.loads details')
      .first()
      .locator('table')
      .first()
      .locator('tr:visible')
      .evaluateAll((rows) =>
        rows.map((row) => [row.getBoundingClientRect().top, row.querySelector('th')?.textContent]),
      );
    const order = [...tops].sort(([a], [b]) => Number(a) - Number(b)).map(([, name]) => name);
    expect(order[0]).toBe('/');
    await page.uncheck('#r-sent');
    expect(await shown()).toEqual([]);
    await page.selectOption('#pages', { label: '/news/' });
    expect(await page.locator('.loads details:visible').count()).toBe(3);
    expect(await page.locator('#what-if').count()).toBe(1);
    expect(await page.locator('#budgets').count()).toBe(1);
  } finally {
    await browser.close();
  }
});
