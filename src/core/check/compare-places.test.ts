import { expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS, type BucketView } from '../hosting/bucket-view.js';
import { lookUpIn } from '../hosting/find-in.js';
import { QUIRK_SETS } from '../hosting/quirks.js';
import type { StoredObject } from '../site/site-object.js';
import { comparePlaces, listAddresses } from './compare-places.js';
import type { Observed } from './probe.js';

const object = (key: string, digest: string): StoredObject => ({
  key,
  size: 4,
  digest,
  since: 0,
  headers: { 'Content-Type': 'text/html', 'Cache-Control': 'no-cache' },
});
const viewOf = (objects: StoredObject[], quirks: BucketView['settings']['quirks'] = {}): BucketView => ({
  name: 'mill',
  access: 'open',
  release: 1,
  settings: { ...NEW_BUCKET_SETTINGS, quirks },
  ...lookUpIn(objects),
});
const OBJECTS = [object('index.html', 'aa'), object('visit/index.html', 'bb')];
const here = { at: new URL('http://mill.live.example/'), view: viewOf(OBJECTS, QUIRK_SETS['swift']) };
const there = { at: new URL('http://mill.localhost/'), view: viewOf(OBJECTS) };
const answer = (status: number, digest: string, headers: Record<string, string> = {}): Observed => ({
  status,
  digest,
  length: 4,
  headers: { 'content-type': 'text/html', 'cache-control': 'no-cache', ...headers },
});

it('asks for what either of them has, and for mistakes', () => {
  const addresses = listAddresses([
    { view: here.view, objects: OBJECTS },
    { view: there.view, objects: [object('only-there.txt', 'cc')] },
  ]);
  expect(addresses).toEqual(
    expect.arrayContaining(['/', '/visit', '/visit/', '/index.html', '/only-there.txt']),
  );
  expect(addresses.some((path) => path.includes('no-such'))).toBe(true);
  expect(new Set(addresses).size).toBe(addresses.length);
});

it.each<[string, string, Observed, Observed, object[]]>([
  ['alike', '/', answer(200, 'aa'), answer(200, 'aa'), []],
  [
    'other spaces and quotes alone',
    '/',
    answer(200, 'aa', { 'content-type': 'text/html ' }),
    answer(200, 'aa'),
    [],
  ],
  [
    'other bytes at one of them',
    '/',
    answer(200, 'ff'),
    answer(200, 'aa'),
    [{ aspect: 'bytes', expected: false }],
  ],
  [
    'a label of its own',
    '/index.html',
    answer(200, 'aa', { 'cache-control': 'max-age=60' }),
    answer(200, 'aa'),
    [{ aspect: 'caching', header: 'Cache-Control', here: 'max-age=60', there: 'no-cache', expected: false }],
  ],
  [
    'a redirect as each host has it',
    '/visit',
    answer(301, '', { location: 'http://mill.live.example/visit/' }),
    answer(302, '', { location: '/visit/' }),
    [{ aspect: 'status', here: '301', there: '302', expected: true }],
  ],
  [
    'a redirect elsewhere',
    '/visit',
    answer(301, '', { location: 'http://elsewhere.example/visit/' }),
    answer(301, '', { location: '/visit/' }),
    [{ aspect: 'location', expected: false }],
  ],
  ['missing at both, each with a notice', '/no', answer(404, 'x'), answer(404, 'y'), []],
  ['missing at one', '/', answer(404, 'x'), answer(200, 'aa'), [{ aspect: 'status', expected: false }]],
])('%s', (_name, path, one, other, expected) => {
  expect(comparePlaces(path, { ...here, observed: one }, { ...there, observed: other })).toMatchObject(
    expected,
  );
});

it('what the releases themselves differ in is expected', () => {
  const newer = { ...there, view: viewOf([object('index.html', 'dd')]), observed: answer(200, 'dd') };
  expect(comparePlaces('/', { ...here, observed: answer(200, 'aa') }, newer)).toMatchObject([
    { aspect: 'bytes', expected: true },
  ]);
});
