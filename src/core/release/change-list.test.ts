import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { NEW_BUCKET_SETTINGS } from '../hosting/bucket-view.js';
import { compareKeys } from '../site/key.js';
import type { SiteObject, StoredObject } from '../site/site-object.js';
import { bucketNameFault, suggestBucketName } from './bucket-name.js';
import { compareObjects, compareSettings, type Change } from './change-list.js';
import { removesMost } from './guards.js';
import { deepFreeze, isDeepEqual } from './plain-data.js';
import { planRows } from './release.js';
import { listStale } from './stale.js';

const object = (key: string, digest: string, cache = 'no-cache'): SiteObject => ({
  key,
  digest,
  size: digest.length,
  headers: { 'Content-Type': 'text/plain', 'Cache-Control': cache },
});
const stored = (each: SiteObject): StoredObject => ({ ...each, since: 0 });
async function* stream<T>(items: readonly T[]): AsyncGenerator<T> {
  yield* items;
}

const key = fc.string({
  unit: fc.constantFrom('a', 'b', '/', '.', 'é', '\u{1F30A}'),
  minLength: 1,
  maxLength: 5,
});
const site = fc
  .uniqueArray(
    fc.record({
      key,
      digest: fc.constantFrom('x', 'yy', 'zzz'),
      cache: fc.constantFrom('no-cache', 'max-age=60'),
    }),
    { selector: (each) => each.key, maxLength: 12 },
  )
  .map((list) =>
    list.map((each) => object(each.key, each.digest, each.cache)).sort((a, b) => compareKeys(a.key, b.key)),
  );

/** What a bucket holds after a change list, the plain way. */
function apply(bucket: readonly SiteObject[], changes: readonly Change[]): SiteObject[] {
  const state = new Map(bucket.map((each) => [each.key, each]));
  const { put, remove } = planRows(changes);
  for (const each of put) state.set(each.key, each);
  for (const each of remove) state.delete(each);
  return [...state.values()].sort((a, b) => compareKeys(a.key, b.key));
}

describe('the change list', () => {
  it('turns any bucket into any site, and then has nothing left to do', async () => {
    await fc.assert(
      fc.asyncProperty(site, site, async (before, after) => {
        const { entries } = await compareObjects(after, before.map(stored), undefined, Infinity);
        const result = apply(before, entries);
        expect(result).toEqual(after);
        expect((await compareObjects(after, result.map(stored), undefined, Infinity)).entries).toEqual([]);
      }),
      { numRuns: 500 },
    );
  });
  it('names what changes once, in key order, and counts them all, the same from streams', async () => {
    await fc.assert(
      fc.asyncProperty(site, site, async (before, after) => {
        const compared = await compareObjects(after, before.map(stored), undefined, Infinity);
        const keys = compared.entries.map((change) => change.key);
        expect(keys).toEqual([...new Set(keys)].sort(compareKeys));
        const { add, replace, relabel, remove, keep } = compared.totals;
        expect([add + replace + relabel + keep, remove + replace + relabel + keep]).toEqual([
          after.length,
          before.length,
        ]);
        expect([keys.length, compared.held]).toEqual([add + replace + relabel + remove, before.length]);
        expect(await compareObjects(stream(after), stream(before.map(stored)), undefined, Infinity)).toEqual(
          compared,
        );
      }),
      { numRuns: 300 },
    );
  });
  it('closes the stream that it reads, whatever happens', async () => {
    let closed = 0;
    async function* held(): AsyncGenerator<StoredObject> {
      try {
        yield stored(object('b', 'x'));
        yield stored(object('c', 'x'));
      } finally {
        closed++;
      }
    }
    await compareObjects([], held(), undefined, Infinity);
    const broken = (async function* (): AsyncGenerator<SiteObject> {
      yield object('a', 'x');
      throw new Error('the site is gone');
    })();
    await expect(compareObjects(broken, held(), undefined, Infinity)).rejects.toThrow('the site is gone');
    expect(closed).toBe(2);
  });
  it('touches nothing outside the part that it is limited to', async () => {
    await fc.assert(
      fc.asyncProperty(site, site, async (before, after) => {
        const covers = (each: string): boolean => each.startsWith('a');
        const compared = await compareObjects(after, before.map(stored), ({ key }) => covers(key), Infinity);
        expect(compared.held).toBe(before.length);
        const result = apply(before, compared.entries);
        expect(result.filter((each) => !covers(each.key))).toEqual(
          before.filter((each) => !covers(each.key)),
        );
        expect(result.filter((each) => covers(each.key))).toEqual(after.filter((each) => covers(each.key)));
      }),
      { numRuns: 300 },
    );
  });
  it('recognises a renamed file by its bytes, each old name once', async () => {
    const { entries } = await compareObjects(
      [object('new1', 'same'), object('new2', 'same'), object('new3', 'same')],
      ['old1', 'old2'].map((each) => stored(object(each, 'same'))),
      undefined,
      Infinity,
    );
    expect(
      entries
        .filter(({ movedFrom }) => movedFrom)
        .map(({ key: to, movedFrom }) => `${movedFrom ?? ''} → ${to}`),
    ).toEqual(['old1 → new1', 'old2 → new2']);
  });
});

it('orders keys as their UTF-8 bytes do', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' }), (a, b) => {
      fc.pre(
        !/[\ud800-\udfff]/.test(a.replace(/[\ud800-\udbff][\udc00-\udfff]/g, '')) &&
          !/[\ud800-\udfff]/.test(b.replace(/[\ud800-\udbff][\udc00-\udfff]/g, '')),
      );
      expect(Math.sign(compareKeys(a, b))).toBe(Buffer.compare(Buffer.from(a), Buffer.from(b)));
    }),
    { numRuns: 1000 },
  );
});

it('lists each setting that changes by its name, and nothing for what was none and stays none', () => {
  expect(compareSettings(undefined, NEW_BUCKET_SETTINGS).map(({ name }) => name)).toEqual([
    'documents.index',
    'readable.keys',
  ]);
  const becomes = {
    ...NEW_BUCKET_SETTINGS,
    documents: { index: 'index.html', error: 'e.html' },
    moved: { permanently: { '/a': '/b' }, temporarily: {} },
    quirks: { missingKey: 403 as const },
  };
  expect(
    compareSettings(NEW_BUCKET_SETTINGS, becomes).map(({ name, was, becomes: now }) => [name, was, now]),
  ).toEqual([
    ['documents.error', null, 'e.html'],
    ['moved.permanently /a', null, '/b'],
    ['quirks.missingKey', null, 403],
  ]);
  expect(compareSettings(becomes, becomes)).toEqual([]);
});

describe('what deserves more than a yes', () => {
  const totals = { add: 0, replace: 0, relabel: 0, keep: 0, bytes: 0 };
  test.each([
    [5, false],
    [6, true],
    [10, true],
  ])('removing %i of 10: %s', (remove, most) => {
    expect(removesMost({ ...totals, remove }, 10)).toBe(most);
  });
});

it('says what visitors may still hold, the longest first', async () => {
  const { entries } = await compareObjects(
    [object('b', 'x'), object('c', 'y')],
    [
      stored(object('a', 'x', 'max-age=60')),
      stored(object('b', 'y', 'max-age=3600')),
      stored(object('c', 'x')),
    ],
    undefined,
    Infinity,
  );
  expect(listStale(entries, 1000).map((stale) => [stale.key, stale.until, stale.because])).toEqual([
    ['b', 3_601_000, 'it was published with: keep 1 hour'],
    ['a', 61_000, 'it was published with: keep 1 minute'],
  ]);
});

test.each([
  ['wendle-mill', undefined, 'wendle-mill'],
  ['Wendle Mill', 'lower case', 'wendle-mill'],
  ['möwe', 'letters a to z', 'mowe'],
  ['a', '3 to 63', 'a-site'],
  ['www.mill.example', 'two labels', 'www-mill-example'],
  ['xn--mill', 'another script', 'xn-mill'],
  ['localhost', 'this machine', 'localhost-site'],
  ['', 'empty', 'my-site'],
  ['x'.repeat(64), '3 to 63', 'x'.repeat(60)],
])('bucket name %j', (name, fault, suggestion) => {
  if (fault === undefined) expect(bucketNameFault(name)).toBeUndefined();
  else expect(bucketNameFault(name)).toContain(fault);
  expect(suggestBucketName(name)).toBe(suggestion);
  expect(bucketNameFault(suggestBucketName(name))).toBeUndefined();
});

it('compares and freezes plain data', () => {
  fc.assert(
    fc.property(fc.jsonValue(), (value) => {
      const copy = JSON.parse(JSON.stringify(value)) as unknown;
      expect(isDeepEqual(value, copy)).toBe(true);
      expect(isDeepEqual([value], [copy, 1])).toBe(false);
      deepFreeze(copy);
    }),
  );
  expect([
    isDeepEqual({ a: undefined }, {}),
    isDeepEqual([], {}),
    isDeepEqual(0, null),
    isDeepEqual({ a: 1 }, { b: 1 }),
  ]).toEqual([true, false, false, false]);
});
