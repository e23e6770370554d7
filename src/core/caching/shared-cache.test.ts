import { expect, it } from 'vitest';
import fc from 'fast-check';
import { formatCacheStatus } from './cache-status.js';
import { SharedCache, type FrontRequest, type Look } from './shared-cache.js';
import { decideKeeping, sharedFreshnessOf } from './shared-freshness.js';

const NOW = Date.UTC(2026, 10, 26, 12);
const httpDate = (seconds: number): string => new Date(NOW + seconds * 1000).toUTCString();
const GET = (url = 'https://www.mill.example/', headers: Record<string, string> = {}): FrontRequest => ({
  method: 'GET',
  url,
  headers,
});

/** How long a shared cache may use an answer (RFC 9111 sections 4.2 and 5.2.2). */
it.each([
  [{ 'cache-control': 'max-age=60' }, 60, 'max-age'],
  [{ 'cache-control': 's-maxage=10, max-age=60' }, 10, 's-maxage'],
  [{ 'cache-control': 'max-age=60, s-maxage=0' }, 0, 's-maxage'],
  [{ 'cache-control': 'max-age=60, max-age=5' }, 60, 'max-age'],
  [{ 'cache-control': 'max-age=soon', expires: httpDate(60) }, 0, 'max-age'],
  [{ 'cache-control': 'MAX-AGE=60' }, 60, 'max-age'],
  [{ 'cache-control': 'no-cache, max-age=60' }, 0, 'no-cache'],
  [{ 'cache-control': 'no-cache="x-who", max-age=60' }, 0, 'no-cache'],
  [{ expires: httpDate(90), date: httpDate(0) }, 90, 'expires'],
  [{ expires: '0' }, 0, 'expires'],
  [{ 'last-modified': httpDate(-1000), date: httpDate(0) }, 100, 'heuristic'],
  [{ 'last-modified': httpDate(1000) }, 0, 'none'],
  [{ 'cache-control': 'must-revalidate', 'last-modified': httpDate(-1000) }, 0, 'none'],
  [{ pragma: 'no-cache', 'last-modified': httpDate(-1000) }, 0, 'no-cache'],
  [{ 'cache-control': 'max-age=60', pragma: 'no-cache' }, 60, 'max-age'],
  [{}, 0, 'none'],
] as const)('%j is fresh for', (headers, lifetime, by) => {
  expect(sharedFreshnessOf({ status: 200, headers, at: NOW })).toMatchObject({ lifetime, by });
});

it.each([
  [{ 'cache-control': 'max-age=60, stale-while-revalidate=30, stale-if-error=40' }, 30, 40],
  [{ 'cache-control': 'max-age=60, stale-while-revalidate=30, must-revalidate' }, 0, 0],
  [{ 'cache-control': 's-maxage=60, stale-while-revalidate=30, stale-if-error=40' }, 0, 0],
  [{ 'cache-control': 'max-age=60, proxy-revalidate, stale-if-error=40' }, 0, 0],
] as const)('%j may be used stale for', (headers, grace, ifError) => {
  expect(sharedFreshnessOf({ status: 200, headers, at: NOW })).toMatchObject({
    staleWhileRevalidate: grace,
    ifError,
  });
});

it.each([
  [200, { 'cache-control': 'max-age=60' }, {}, undefined],
  [200, { 'cache-control': 'private' }, {}, 'private'],
  [200, { 'cache-control': 'private="x-who", max-age=60' }, {}, 'private'],
  [200, { 'cache-control': 'no-store, max-age=60' }, {}, 'no-store'],
  [200, { 'cache-control': 'max-age=60', 'set-cookie': 'a=b' }, {}, 'set-cookie'],
  [200, { 'cache-control': 'max-age=60', vary: 'A, *' }, {}, 'vary'],
  [200, { 'cache-control': 'max-age=60' }, { authorization: 'Basic x' }, 'authorization'],
  [200, { 'cache-control': 'public, max-age=60' }, { authorization: 'Basic x' }, undefined],
  [200, { 'cache-control': 's-maxage=60' }, { authorization: 'Basic x' }, undefined],
  [200, { 'cache-control': 'max-age=60' }, { 'cache-control': 'no-store' }, 'request no-store'],
  [500, { 'cache-control': 'max-age=60' }, {}, 'status'],
  [404, {}, {}, 'nothing to go by'],
  [404, { 'cache-control': 'max-age=5' }, {}, undefined],
  [206, { 'cache-control': 'max-age=60' }, {}, 'status'],
  [200, {}, {}, 'nothing to go by'],
  [200, { etag: '"a"' }, {}, undefined],
] as const)('of %i with %j to %j is kept', (status, headers, asked, why) => {
  expect(decideKeeping({ method: 'GET', headers: asked }, { status, headers, at: NOW })).toBe(why);
});

/** Takes an answer as it comes to a request that was looked for. */
function answer(
  cache: SharedCache<string>,
  request: FrontRequest,
  headers: Record<string, string>,
  now = NOW,
  status = 200,
  body = 'body',
): Look<string> {
  const look = cache.look(request, now);
  cache.take(request, look, { status, headers, body, bytes: body.length }, now);
  return look;
}

it('other variants, hosts and what was changed are asked for', () => {
  const cache = new SharedCache<string>(10_000, 100);
  const fresh = { 'cache-control': 'max-age=60', vary: 'Accept-Language' };
  answer(cache, GET(undefined, { 'accept-language': 'en' }), fresh);
  const kindOf = (request: FrontRequest, now = NOW): string => {
    const look = cache.look(request, now);
    return look.kind === 'ask' ? look.forward : look.kind;
  };
  expect(kindOf(GET(undefined, { 'accept-language': 'en' }))).toBe('hit');
  expect(kindOf({ ...GET(undefined, { 'accept-language': 'en' }), method: 'HEAD' })).toBe('hit');
  expect(kindOf(GET(undefined, { 'accept-language': 'de' }))).toBe('vary-miss');
  expect(kindOf(GET())).toBe('vary-miss');
  expect(kindOf(GET('https://other.example/', { 'accept-language': 'en' }))).toBe('uri-miss');
  expect(kindOf(GET(undefined, { 'accept-language': 'en', 'cache-control': 'no-cache' }))).toBe('request');
  expect(kindOf(GET(undefined, { 'accept-language': 'en' }), NOW + 61_000)).toBe('stale');
  // A change that failed changes nothing; one that did not takes along what it says it has changed, of this host alone.
  const change = { ...GET(undefined, {}), method: 'POST' };
  answer(cache, change, {}, NOW, 500);
  expect(kindOf(GET(undefined, { 'accept-language': 'en' }))).toBe('hit');
  for (const host of ['www.mill.example', 'other.example'])
    answer(cache, GET(`https://${host}/a`), { 'cache-control': 'max-age=60' });
  answer(cache, change, { location: '/a', 'content-location': 'https://other.example/a' }, NOW, 201);
  expect([
    kindOf(GET(undefined, { 'accept-language': 'en' })),
    kindOf(GET('https://www.mill.example/a')),
  ]).toEqual(['uri-miss', 'uri-miss']);
  expect(kindOf(GET('https://other.example/a'))).toBe('hit');
});

it('what is stale is confirmed, used a little longer where that is allowed, and stands in for a failure', () => {
  const cache = new SharedCache<string>(10_000, 100);
  const url = GET();
  answer(cache, url, {
    'cache-control': 'max-age=10, stale-while-revalidate=5, stale-if-error=50',
    etag: '"a"',
  });
  expect(cache.look(url, NOW + 12_000).kind).toBe('grace');
  const stale = cache.look(url, NOW + 20_000);
  expect(stale).toMatchObject({ kind: 'ask', forward: 'stale', conditions: { 'if-none-match': '"a"' } });
  const failed = { status: 503, headers: {}, body: 'no', bytes: 2 };
  expect(cache.take(url, stale, failed, NOW + 20_000)).toMatchObject({
    insteadOfError: true,
    entry: { body: 'body' },
  });
  expect(cache.take(url, cache.look(url, NOW + 90_000), failed, NOW + 90_000).entry).toBeUndefined();
  const confirmed = { status: 304, headers: { 'cache-control': 'max-age=100' }, body: '', bytes: 0 };
  cache.take(url, cache.look(url, NOW + 95_000), confirmed, NOW + 95_000);
  expect(cache.look(url, NOW + 150_000)).toMatchObject({ kind: 'hit', entry: { body: 'body' }, age: 55 });
});

it('a 304 to what the visitor has confirms nothing that is kept', () => {
  const cache = new SharedCache<string>(10_000, 100);
  answer(cache, GET(), { 'cache-control': 'max-age=10', etag: '"a"' });
  const part = GET(undefined, { range: 'bytes=0-1', 'if-none-match': '"b"' });
  const look = cache.look(part, NOW + 20_000);
  expect(look).toMatchObject({ kind: 'ask', conditions: {} });
  const confirmed = {
    status: 304,
    headers: { etag: '"b"', 'cache-control': 'max-age=10' },
    body: '',
    bytes: 0,
  };
  expect(cache.take(part, look, confirmed, NOW + 20_000).entry).toBeUndefined();
  expect(cache.look(GET(), NOW + 21_000).kind).toBe('ask');
});

it('what was used least recently goes first, and what is too large is not kept', () => {
  const cache = new SharedCache<string>(3400, 20);
  const fresh = { 'cache-control': 'max-age=60' };
  for (const name of ['a', 'b', 'c'])
    answer(cache, GET(`https://m.example/${name}`), fresh, NOW, 200, '0123456789');
  expect(cache.look(GET('https://m.example/a'), NOW).kind).toBe('hit');
  answer(cache, GET('https://m.example/d'), fresh, NOW, 200, '0123456789');
  const kinds = ['a', 'b', 'c', 'd'].map((name) => cache.look(GET(`https://m.example/${name}`), NOW).kind);
  expect(kinds).toEqual(['hit', 'ask', 'hit', 'hit']);
  expect(cache.bytes).toBeLessThanOrEqual(3400);
  answer(cache, GET('https://m.example/e'), fresh, NOW, 200, 'x'.repeat(21));
  expect(cache.look(GET('https://m.example/e'), NOW).kind).toBe('ask');
});

it('counts addresses and headers too: many of them push each other out', () => {
  const cache = new SharedCache<string>(100_000, 20);
  for (let n = 0; n < 1000; n++)
    answer(cache, GET(`https://m.example/?${n}${'q'.repeat(2000)}`), { 'cache-control': 'max-age=60' });
  expect(cache.bytes).toBeLessThanOrEqual(100_000);
  expect(cache.look(GET(`https://m.example/?999${'q'.repeat(2000)}`), NOW).kind).toBe('hit');
  expect(cache.look(GET(`https://m.example/?900${'q'.repeat(2000)}`), NOW).kind).toBe('ask');
});

const directive = fc.constantFrom(
  ...[
    'max-age=5',
    'max-age=50',
    's-maxage=7',
    'private',
    'no-store',
    'no-cache',
    'must-revalidate',
    'public',
  ],
  ...[
    'stale-while-revalidate=9',
    'stale-if-error=9',
    'proxy-revalidate',
    'private="x"',
    'immutable',
    '=',
    '"',
  ],
);
const headerSet = fc.record(
  {
    'cache-control': fc.array(directive, { maxLength: 4 }).map((all) => all.join(', ')),
    vary: fc.constantFrom('x-kind', '*', 'X-Kind, Cookie', '__proto__'),
    etag: fc.constantFrom('"a"', 'W/"b"'),
    expires: fc.constantFrom('0', httpDate(20), httpDate(-20)),
    'last-modified': fc.constantFrom(httpDate(-500), 'never'),
    'set-cookie': fc.constant('who=me'),
    age: fc.constantFrom('3', '30', 'x'),
  },
  { requiredKeys: [] },
);
const asked = fc.record({
  host: fc.constantFrom('www.mill.example', 'other.example'),
  path: fc.constantFrom('/', '/a'),
  method: fc.constantFrom('GET', 'GET', 'GET', 'HEAD', 'POST'),
  kind: fc.constantFrom(undefined, 'a', 'b'),
  signedIn: fc.boolean(),
  status: fc.constantFrom(200, 200, 200, 304, 404, 500),
  headers: headerSet,
  later: fc.nat(40),
});

it('never gives what is private, not to be kept, of another host or another variant, nor what is too old', () => {
  fc.assert(
    fc.property(fc.array(asked, { minLength: 1, maxLength: 25 }), (requests) => {
      const cache = new SharedCache<string>(6000, 100);
      let now = NOW;
      for (const { host, path, method, kind, signedIn, status, headers, later } of requests) {
        now += later * 1000;
        const url = `https://${host}${path}`;
        const own = {
          ...(kind === undefined ? {} : { 'x-kind': kind }),
          ...(signedIn ? { authorization: 'Basic x' } : {}),
        };
        const request: FrontRequest = { method, url, headers: own };
        const look = cache.look(request, now);
        if (look.kind === 'hit' || look.kind === 'grace') {
          const { entry } = look;
          const control = (entry.headers as Record<string, string>)['cache-control'] ?? '';
          expect(control).not.toMatch(/private|no-store/);
          expect((entry.headers as Record<string, string>)['set-cookie']).toBeUndefined();
          // The body says of what it is.
          expect(entry.body.startsWith(`${url} `)).toBe(true);
          if (/x-kind/i.test((entry.headers as Record<string, string>)['vary'] ?? ''))
            expect(entry.body).toContain(` ${kind ?? 'none'} `);
          const { lifetime, staleWhileRevalidate: grace } = sharedFreshnessOf(entry);
          expect(look.age).toBeLessThan(lifetime + (look.kind === 'grace' ? grace : 0));
          expect((now - entry.at) / 1000).toBeLessThanOrEqual(look.age);
          if (look.kind === 'grace') expect(control).not.toMatch(/must-revalidate|proxy-revalidate|s-maxage/);
          continue;
        }
        const came =
          status === 304 && (look.kind !== 'ask' || Object.keys(look.conditions).length === 0) ? 200 : status;
        const body = `${url} ${kind ?? 'none'} `;
        cache.take(request, look, { status: came, headers, body, bytes: body.length }, now);
        expect(cache.bytes).toBeLessThanOrEqual(6000);
      }
    }),
    { seed: 6, numRuns: 1500 },
  );
});

it('says what it did as RFC 9211 writes it', () => {
  expect(formatCacheStatus({ hit: true, ttl: 59.9 })).toBe('fenestra; hit; ttl=59');
  expect(formatCacheStatus({ hit: false, forward: 'stale', forwardStatus: 304, stored: true, ttl: 60 })).toBe(
    'fenestra; fwd=stale; fwd-status=304; ttl=60; stored',
  );
});
