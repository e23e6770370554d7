import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { formatHttpDate } from '../caching/http-date.js';
import type { StoredObject } from '../site/site-object.js';
import { headerOf, type Answer, type Step } from './answer.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from './bucket-view.js';
import { resolveHost } from './host.js';
import { resolve } from './resolve.js';
import { traceRequest } from './trace.js';

const SINCE = Date.UTC(2026, 2, 2, 9, 0, 0, 400);
const object = (
  key: string,
  size = 100,
  headers: Record<string, string> = {
    'Content-Type': 'text/html; charset=utf-8',
    'Cache-Control': 'no-cache',
  },
): StoredObject => ({
  key,
  size,
  digest: key.padEnd(64, '0').replace(/[^0-9a-f]/g, 'a'),
  since: SINCE,
  headers,
});
const KEYS = [
  'index.html',
  'visit/index.html',
  'not-found.html',
  'drafts/plan.html',
  'a b/ü.html',
  'film.mp4',
  'plain',
  'a//b',
  'x+y.txt',
  'drafts/index.html',
  'empty.txt',
];
const ROWS = new Map(
  KEYS.map((key) => [key, object(key, key === 'empty.txt' ? 0 : 100, key === 'plain' ? {} : undefined)]),
);
const SETTINGS: BucketSettings = {
  ...NEW_BUCKET_SETTINGS,
  documents: { index: 'index.html', error: 'not-found.html' },
  readable: { keys: ['**'], except: ['drafts/**'] },
  moved: {
    permanently: {
      '/old': '/visit/',
      '/shop/*': 'https://shop.mill.example/*?from=site',
      '/shop/sale/*': '/visit/#*',
    },
    temporarily: { '/now': '/x#y' },
  },
};
const bucket = (settings: Partial<BucketSettings> = {}, access: 'open' | 'closed' = 'open'): BucketView => ({
  name: 'mill',
  access,
  release: 3,
  settings: { ...SETTINGS, ...settings },
  find: (key) => ROWS.get(key),
});
const get = (target: string, headers: Record<string, string> = {}, view = bucket(), method = 'GET'): Answer =>
  resolve({ method, target, headers }, view);
const summary = (answer: Answer): string =>
  [
    answer.status,
    answer.reason,
    headerOf(answer.headers, 'Location') ??
      (answer.body.kind === 'object' ? answer.body.object.key : answer.key) ??
      '',
  ]
    .join(' ')
    .trim();

describe('addresses', () => {
  test.each([
    ['/', '200 index index.html'],
    ['/index.html', '200 object index.html'],
    ['/visit/', '200 index visit/index.html'],
    ['/visit', '302 folder /visit/'],
    ['/visit?a=1&b', '302 folder /visit/?a=1&b'],
    ['/nothing', '404 error-document not-found.html'],
    ['/a/b/c/d', '404 error-document not-found.html'],
    ['/a%20b/%C3%BC.html', '200 object a b/ü.html'],
    ['/a%20b/u%CC%88.html', '404 error-document not-found.html'],
    ['/x+y.txt', '200 object x+y.txt'],
    ['/a//b', '200 object a//b'],
    ['//a', '404 error-document not-found.html'],
    ['/../index.html', '404 error-document not-found.html'],
    ['/visit/./', '404 error-document not-found.html'],
    ['/index.html?x=1', '200 object index.html'],
    ['/index.html#part', '200 object index.html'],
    ['http://mill.localhost/visit/', '200 index visit/index.html'],
    ['http://mill.localhost', '200 index index.html'],
    ['/%zz', '400 malformed'],
    ['/%ff', '400 malformed'],
    ['/a%00', '400 malformed'],
    ['nonsense', '400 malformed'],
    [`/${'x'.repeat(9000)}`, '414 too-long'],
    [`/${'x'.repeat(2000)}`, '404 error-document not-found.html'],
    ['/drafts/plan.html', '403 unreadable drafts/plan.html'],
    ['/drafts/missing.html', '403 unreadable drafts/missing.html'],
    ['/drafts/', '403 unreadable drafts/index.html'],
    ['/drafts', '404 error-document not-found.html'],
    ['/old', '301 moved /visit/'],
    ['/old?q=1', '301 moved /visit/?q=1'],
    ['/old/', '404 error-document not-found.html'],
    ['/shop/a%20b/c?q', '301 moved https://shop.mill.example/a%20b/c?from=site&q'],
    ['/shop/', '301 moved https://shop.mill.example/?from=site'],
    ['/shop/sale/x?q', '301 moved /visit/?q#x'],
    ['/now?z', '302 moved /x?z#y'],
  ])('%s', (target, expected) => {
    expect(summary(get(target))).toBe(expected);
  });
});

describe('methods', () => {
  test.each([
    ['POST', '405 method', 'GET, HEAD, OPTIONS'],
    ['DELETE', '405 method', 'GET, HEAD, OPTIONS'],
    ['OPTIONS', '204 options', 'GET, HEAD, OPTIONS'],
  ])('%s', (method, expected, allow) => {
    const answer = get('/', {}, bucket(), method);
    expect(summary(answer)).toBe(expected);
    expect(headerOf(answer.headers, 'Allow')).toBe(allow);
  });
  it('answers HEAD with the headers of GET', () => {
    for (const target of ['/', '/visit', '/nothing', '/drafts/x', '/old'])
      expect(get(target, {}, bucket(), 'HEAD').headers).toEqual(get(target).headers);
  });
});

describe('the two gates', () => {
  it('says 403 for everything while the bucket is closed, whatever exists', () => {
    for (const target of ['/', '/nothing', '/old', '/drafts/x'])
      expect(get(target, {}, bucket({}, 'closed'))).toMatchObject({
        status: 403,
        reason: 'closed',
        body: { kind: 'notice' },
      });
  });
  it('does not tell whether a key outside the policy exists', () => {
    expect({ ...get('/drafts/plan.html'), key: '', because: '' }).toEqual({
      ...get('/drafts/missing.html'),
      key: '',
      because: '',
    });
  });
});

describe('quirks', () => {
  test.each([
    [{ folderWithoutSlash: 'index' }, '/visit', '200 index visit/index.html'],
    [{ folderWithoutSlash: 'missing' }, '/visit', '404 error-document not-found.html'],
    [{ folderRedirectStatus: 301 }, '/visit', '301 folder /visit/'],
    [{ missingKey: 403 }, '/nothing', '403 error-document not-found.html'],
    [{ errorDocumentStatus: 200 }, '/nothing', '200 error-document not-found.html'],
    [{ indexDocuments: 'root' }, '/visit/', '404 error-document not-found.html'],
    [{ indexDocuments: 'root' }, '/', '200 index index.html'],
    [{ refusalDocument: 'error' }, '/drafts/x', '403 unreadable not-found.html'],
  ] as const)('%j on %s', (quirks, target, expected) => {
    expect(summary(get(target, {}, bucket({ quirks })))).toBe(expected);
  });
  it('decides the status of a closed bucket and the type of what has none', () => {
    expect(get('/', {}, bucket({ quirks: { closedBucket: 401 } }, 'closed')).status).toBe(401);
    expect(headerOf(get('/plain').headers, 'Content-Type')).toBe('application/octet-stream');
    expect(
      headerOf(get('/plain', {}, bucket({ quirks: { unlabelledType: 'none' } })).headers, 'Content-Type'),
    ).toBeUndefined();
  });
});

it("sends the object's own headers and nothing invented", () => {
  const { headers } = get('/');
  expect(headers.filter((_, at) => at % 2 === 0)).toEqual([
    'Content-Type',
    'Cache-Control',
    'ETag',
    'Last-Modified',
    'Accept-Ranges',
    'Content-Length',
  ]);
  expect(headerOf(headers, 'Last-Modified')).toBe('Mon, 02 Mar 2026 09:00:00 GMT');
});

describe('conditions and ranges', () => {
  const etag = headerOf(get('/film.mp4').headers, 'ETag') ?? '';
  const [before, at, after] = [SINCE - 5000, SINCE, SINCE + 5000].map(formatHttpDate) as [
    string,
    string,
    string,
  ];
  test.each<[Record<string, string>, string]>([
    [{ 'if-none-match': etag }, '304 not-modified film.mp4'],
    [{ 'if-none-match': `W/${etag}` }, '304 not-modified film.mp4'],
    [{ 'if-none-match': `"x", ${etag}` }, '304 not-modified film.mp4'],
    [{ 'if-none-match': '*' }, '304 not-modified film.mp4'],
    [{ 'if-none-match': '"x"' }, '200 object film.mp4'],
    [{ 'if-none-match': '"x"', 'if-modified-since': after }, '200 object film.mp4'],
    [{ 'if-modified-since': at }, '304 not-modified film.mp4'],
    [{ 'if-modified-since': before }, '200 object film.mp4'],
    [{ 'if-modified-since': 'rubbish' }, '200 object film.mp4'],
    [{ 'if-match': etag }, '200 object film.mp4'],
    [{ 'if-match': `W/${etag}` }, '412 precondition film.mp4'],
    [{ 'if-match': '"x"' }, '412 precondition film.mp4'],
    [{ 'if-match': '*' }, '200 object film.mp4'],
    [{ 'if-unmodified-since': before }, '412 precondition film.mp4'],
    [{ 'if-match': etag, 'if-unmodified-since': before }, '200 object film.mp4'],
    [{ 'if-match': etag, 'if-none-match': etag }, '304 not-modified film.mp4'],
    [{ range: 'bytes=0-9' }, '206 range film.mp4'],
    [{ range: 'bytes=-10' }, '206 range film.mp4'],
    [{ range: 'bytes=90-' }, '206 range film.mp4'],
    [{ range: 'bytes=90-500' }, '206 range film.mp4'],
    [{ range: 'bytes=0-9,10-19' }, '206 range film.mp4'],
    [{ range: 'bytes=100-' }, '416 unsatisfiable film.mp4'],
    [{ range: 'bytes=-0' }, '416 unsatisfiable film.mp4'],
    [{ range: 'bytes=0-1,50-60' }, '200 object film.mp4'],
    [{ range: 'lines=0-9' }, '200 object film.mp4'],
    [{ range: 'bytes=x' }, '200 object film.mp4'],
    [{ range: 'bytes=5-2' }, '200 object film.mp4'],
    [{ range: 'bytes=0-9', 'if-range': etag }, '206 range film.mp4'],
    [{ range: 'bytes=0-9', 'if-range': '"x"' }, '200 object film.mp4'],
    [{ range: 'bytes=0-9', 'if-range': `W/${etag}` }, '200 object film.mp4'],
    [{ range: 'bytes=0-9', 'if-range': at }, '206 range film.mp4'],
    [{ range: 'bytes=0-9', 'if-range': after }, '200 object film.mp4'],
    [{ range: 'bytes=0-9', 'if-none-match': etag }, '304 not-modified film.mp4'],
  ])('%j', (headers, expected) => {
    expect(summary(get('/film.mp4', headers))).toBe(expected);
  });
  it('keeps on a 304 what RFC 9110 asks for, and no length', () => {
    const names = get('/', { 'if-none-match': '*' }).headers.filter((_, index) => index % 2 === 0);
    expect(names).toEqual(['Cache-Control', 'ETag', 'Last-Modified']);
  });
  it('says which bytes it sends', () => {
    const answer = get('/film.mp4', { range: 'bytes=-10' });
    expect([headerOf(answer.headers, 'Content-Range'), headerOf(answer.headers, 'Content-Length')]).toEqual([
      'bytes 90-99/100',
      '10',
    ]);
    expect(headerOf(get('/empty.txt', { range: 'bytes=0-' }).headers, 'Content-Range')).toBe('bytes */0');
  });
  it('sends the error document whole, without ranges or conditions', () => {
    expect(get('/nothing', { range: 'bytes=0-9', 'if-none-match': '*' })).toMatchObject({
      status: 404,
      body: { kind: 'object' },
    });
  });
});

it('answers anything, never throws, and redirects only to where it should', () => {
  fc.assert(
    fc.property(
      fc.string({ unit: 'binary', maxLength: 40 }),
      fc.dictionary(
        fc.constantFrom('range', 'if-match', 'if-none-match', 'if-range', 'if-modified-since'),
        fc.string({ maxLength: 30 }),
      ),
      (path, headers) => {
        const answer = get(`/${path}`, headers);
        expect(answer.status).toBeGreaterThanOrEqual(200);
        expect(headerOf(answer.headers, 'Location') ?? '/').not.toMatch(/^\/\//);
      },
    ),
    { numRuns: 2000 },
  );
});

test.each([
  ['mill.localhost:4680', 'bucket mill'],
  ['MILL.localhost', 'bucket mill'],
  ['www.mill.example', 'bucket mill'],
  ['www.mill.example.', 'bucket mill'],
  ['localhost:1', 'front'],
  ['127.0.0.1', 'front'],
  ['[::1]:80', 'front'],
  [undefined, 'front'],
  ['mil.localhost', 'unknown'],
  ['other.example', 'unknown'],
])('host %s', (host, expected) => {
  const verdict = resolveHost(host, [
    { name: 'mill', domains: ['www.mill.example'] },
    { name: 'quay', domains: [] },
  ]);
  expect(verdict.kind === 'bucket' ? `bucket ${verdict.name}` : verdict.kind).toBe(expected);
});

describe('the trace', () => {
  const trace = (target: string, access: 'open' | 'closed' = 'open') =>
    traceRequest({ method: 'GET', target, headers: {} }, bucket({}, access), 'the only one');
  const steps = (list: readonly Step[]): string =>
    list.map(({ step, outcome }) => `${step}=${outcome}`).join(' ');
  it("names each step in the resolver's order, the host after the target", () => {
    expect(steps(trace('/visit').steps)).toBe(
      'method=GET target=visit host=mill access=open moved=no policy=readable key=missing folder=302 to /visit/',
    );
    expect(steps(trace('/nothing').steps)).toBe(
      'method=GET target=nothing host=mill access=open moved=no policy=readable key=missing folder=no error document=not-found.html headers=404',
    );
    expect(steps(trace('/', 'closed').steps)).toBe('method=GET target=the root host=mill access=closed');
    expect(trace('/').steps[2]?.because).toBe('the only one');
  });
});
