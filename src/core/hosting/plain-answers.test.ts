/** What is remembered answers as the resolver would, whatever was asked before. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { formatHttpDate } from '../caching/http-date.js';
import type { WebRequest } from './answer.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from './bucket-view.js';
import { PlainAnswers } from './plain-answers.js';
import type { Quirks } from './quirks.js';
import { resolve } from './resolve.js';

const SINCE = Date.UTC(2026, 2, 2, 9, 0, 0, 400);
const KEYS = ['index.html', 'visit/index.html', 'not-found.html', 'film.mp4', 'drafts/plan.html'];
const ROWS = new Map(
  KEYS.map((key, at) => [
    key,
    { key, size: 100 + at, digest: String(at).repeat(64), since: SINCE + at * 1000, headers: {} },
  ]),
);

const viewOf = (settings: Partial<BucketSettings>, access: BucketView['access']): BucketView => ({
  name: 'mill',
  access,
  release: 3,
  settings: {
    ...NEW_BUCKET_SETTINGS,
    documents: { index: 'index.html', error: 'not-found.html' },
    readable: { keys: ['**'], except: ['drafts/**'] },
    moved: { permanently: { '/old': '/visit/' }, temporarily: {} },
    ...settings,
  },
  find: (key) => ROWS.get(key),
});

const TAG = `"${'0'.repeat(32)}"`;
const dates = [SINCE - 5000, SINCE, SINCE + 1000, SINCE + 9000].map((at) => formatHttpDate(at));
const fields = {
  host: ['mill.localhost:4680', 'www.mill.example', 'old.mill.example'],
  'if-match': [TAG, '*', '"other"'],
  'if-none-match': [TAG, '*', '"other"'],
  'if-modified-since': dates,
  'if-unmodified-since': dates,
  'if-range': [TAG, ...dates],
  range: ['bytes=0-9', 'bytes=900-', 'bytes=0-1,5-9'],
};

const field = fc
  .constantFrom(...Object.entries(fields))
  .chain(([name, values]) => fc.tuple(fc.constant(name), fc.constantFrom(...values)));
const headers = fc.array(field, { maxLength: 3 }).map((some) => Object.fromEntries(some));
const request: fc.Arbitrary<WebRequest> = fc.record({
  method: fc.constantFrom('GET', 'GET', 'GET', 'HEAD', 'PUT'),
  target: fc.constantFrom(
    '/',
    '/visit/',
    '/?a',
    '/visit',
    '/visit/',
    '/old',
    '/film.mp4',
    '/drafts/plan.html',
    '/no',
    '/%zz',
    `/?${'a'.repeat(600)}`,
  ),
  headers,
  at: fc.constantFrom(-1, 0, 2, 3, 8, 8, 8).map((seconds) => SINCE + seconds * 1000),
});
const QUIRKS: readonly Partial<Quirks>[] = [
  {},
  { conditions: 'each-alone' },
  { unlabelledType: 'none' },
  { errorDocumentStatus: 200 },
];
const settings = fc.record({
  quirks: fc.constantFrom(...QUIRKS),
  movedHosts: fc.constantFrom(undefined, undefined, undefined, {
    hosts: ['old.mill.example'],
    to: 'https://www.mill.example',
  }),
});

it('says again what the resolver says', () => {
  const read = new Set<string>();
  let again = 0;
  const watched = (asked: WebRequest): WebRequest => ({
    ...asked,
    headers: new Proxy(asked.headers, {
      get: (all, name) => {
        read.add(String(name));
        return Reflect.get(all, name) as string | undefined;
      },
    }),
  });
  fc.assert(
    fc.property(
      settings,
      fc.constantFrom('open', 'open', 'open', 'closed'),
      fc.integer({ min: 1, max: 6 }),
      fc.array(request, { minLength: 20, maxLength: 60 }),
      ({ movedHosts, ...more }, access, most, requests) => {
        const view = viewOf(movedHosts ? { ...more, movedHosts } : more, access);
        let looked = 0;
        const answers = new PlainAnswers({ ...view, find: (key) => (looked++, view.find(key)) }, most);
        for (const asked of requests) {
          const before = looked;
          const answer = answers.resolve(asked);
          expect([asked, answer]).toEqual([asked, resolve(watched(asked), view)]);
          if (looked === before && answer.status === 200) {
            again++;
            expect(asked.target.length).toBeLessThan(600);
          }
        }
      },
    ),
    { numRuns: 500, seed: 7 },
  );
  // A field that the resolver comes to read belongs among those above.
  expect([...read].filter((name) => !Object.hasOwn(fields, name))).toEqual([]);
  expect(again).toBeGreaterThan(100);
});
