import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { CONFIG, fenestra, fenestraJson, makeProject, PAGE } from './helpers/program.js';

type Line = readonly [who: string, path: string, status: number, agent?: string];
const logOf = (lines: readonly Line[]): string =>
  lines
    .map(
      ([who, path, status, agent = 'Browser']) =>
        `${who} - - [01/Dec/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" ${status} 100 "-" "${agent}"\n`,
    )
    .join('');
const many = (count: number, path: string, status: number): Line[] =>
  Array.from({ length: count }, (_, at) => [`10.0.0.${at}`, path, status]);

interface Said {
  readonly gone: readonly { readonly path: string; readonly visitors: number; readonly to?: string }[];
  readonly there: readonly { readonly path: string }[];
  readonly byRobots: readonly { readonly path: string }[];
  readonly tried: readonly { readonly path: string }[];
  readonly added?: readonly unknown[];
}

const said = async (home: string, ...words: string[]): Promise<[number, Said]> => {
  const { code, out } = await fenestra(home, 'check', '--log', 'access.log', ...words, '--json');
  return [code, JSON.parse(out) as Said];
};

const LINES: readonly Line[] = [
  ...many(20, '/', 200),
  ...many(7, '/leaflet.pdf?from=mail', 404),
  ...many(5, '/vist/', 404),
  ...many(3, '/nowhere/at/all.html', 410),
  ['10.0.0.1', '/visit/', 404],
  ['10.0.0.2', '/caf%C3%A9.html', 404],
  ['10.0.0.2', '/%zz', 404],
  ['10.0.0.2', '/login.php', 404],
  ['10.0.0.2', '/.env', 404],
  ['10.7.7.7', '/old.html', 404, 'a crawler, https://crawl.example'],
  ...Array.from({ length: 30 }, (_, at): Line => ['10.9.9.9', `/try-${at}.html`, 404]),
];

const site = (): string =>
  makeProject({
    'site/visit/index.html': PAGE,
    'site/leaflet.pdf': '%PDF-1.4 the leaflet',
    'site/café/index.html': PAGE,
    'access.log': logOf(LINES),
  });

it('what visitors ask for and is gone is told with what it may be now, apart from robots and from tries', async () => {
  const home = site();
  await fenestraJson(home, 'publish', '--yes');
  renameSync(join(home, 'site/leaflet.pdf'), join(home, 'site/walks.pdf'));
  const [code, { gone, there, byRobots, tried }] = await said(home);
  expect(code).toBe(1);
  expect(gone.map(({ path, visitors, to }) => [path, visitors, to])).toEqual([
    ['/leaflet.pdf', 7, '/walks.pdf'],
    ['/vist/', 5, '/visit/'],
    ['/nowhere/at/all.html', 3, undefined],
    ['/%zz', 1, undefined],
    ['/caf%C3%A9.html', 1, undefined],
  ]);
  expect(there.map(({ path }) => path)).toEqual(['/visit/']);
  expect(byRobots.map(({ path }) => path)).toEqual(['/old.html']);
  expect(tried).toHaveLength(32);
  const text = (await fenestra(home, 'check', '--log', 'access.log')).out;
  expect(text).toContain('"/leaflet.pdf": "/walks.pdf"');
  // The same log, packed.
  writeFileSync(join(home, 'access.log'), gzipSync(logOf(LINES)));
  expect((await said(home))[1].gone).toEqual(gone);
});

it('what may have moved is added to the config, which stays as it was but for that', async () => {
  const home = site();
  const before = `# Ours.\n${CONFIG}moved:\n  permanently:\n    /a:   /visit/  # kept\n`;
  writeFileSync(join(home, 'fenestra.yaml'), before);
  const [code, { added, gone }] = await said(home, '--add');
  expect([code, added?.length, gone.length]).toEqual([1, 1, 4]);
  expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toBe(`${before}    /vist/: /visit/\n`);
  const again = await said(home, '--add');
  expect([again[1].added, again[1].there.map(({ path }) => path)]).toEqual([
    [],
    ['/leaflet.pdf', '/vist/', '/visit/'],
  ]);
});

it('a destination with moved addresses of its own is not served by those at the top', async () => {
  const home = site();
  const before = CONFIG.replace(
    'bucket: test-mill }',
    'bucket: test-mill, moved: { permanently: { /a: /visit/ } } }',
  );
  writeFileSync(join(home, 'fenestra.yaml'), before);
  const { code, err } = await fenestra(home, 'check', '--log', 'access.log', '--add');
  expect([code, err]).toEqual([2, expect.stringContaining('destinations.rehearsal.moved')]);
  expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toBe(before);
});

it('a file that is no log is named, and --add needs one', async () => {
  const home = makeProject({ 'access.log': 'not a log\n' });
  const { code, err } = await fenestra(home, 'check', '--log', 'access.log');
  expect([code, err]).toEqual([2, expect.stringContaining('access.log')]);
  expect((await fenestra(home, 'check', '--add')).code).toBe(2);
  expect((await fenestra(home, 'check', '--log', 'access.log', '--unpublished')).err).toContain(
    '--unpublished',
  );
});
