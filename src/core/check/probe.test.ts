import { describe, expect, it, test } from 'vitest';
import { headersToRecord } from '../hosting/answer.js';
import { NEW_BUCKET_SETTINGS, type BucketView } from '../hosting/bucket-view.js';
import type { StoredObject } from '../site/site-object.js';
import { groupFailures } from './causes.js';
import { compareAnswer } from './compare-answer.js';
import { sliceOf, type Observed, type Probe } from './probe.js';
import { listProbes } from './list-probes.js';
import { describeCause } from '../../report/text/cause-text.js';

const object = (key: string): StoredObject => ({
  key,
  size: 50,
  digest: 'd'.repeat(64),
  since: 0,
  headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' },
});
const rows = new Map(
  ['index.html', 'visit/index.html', 'not-found.html', 'drafts/a.html'].map((key) => [key, object(key)]),
);
const view: BucketView = {
  name: 'mill',
  access: 'open',
  release: 1,
  find: (key) => rows.get(key),
  settings: {
    ...NEW_BUCKET_SETTINGS,
    documents: { index: 'index.html', error: 'not-found.html' },
    readable: { keys: ['**'], except: ['drafts/**'] },
    moved: { permanently: { '/old': '/visit/', '/shop/*': 'https://shop.example/*' }, temporarily: {} },
  },
};
const probes = [...listProbes(view, [...rows.values()])];
const find = (target: string): Probe => {
  const probe = probes.find(({ request }) => request.target === target);
  if (!probe) throw new Error(target);
  return probe;
};
const perfect = ({ expected }: Probe): Observed => {
  const body = expected.body.kind === 'object' ? expected.body.object : undefined;
  return {
    status: expected.status,
    headers: Object.fromEntries(
      Object.entries(headersToRecord(expected.headers)).map(([name, value]) => [name.toLowerCase(), value]),
    ),
    digest: body?.digest ?? '',
    length: body?.size ?? 0,
  };
};

it('asks for every object, folder, moved address, for mistakes at several depths, and with other methods', () => {
  const spelled = probes.filter(({ about }) => about === 'private spelling');
  expect(new Set(spelled.map(({ expected }) => expected.status))).toEqual(new Set([403, 404]));
  expect(spelled.every(({ hides }) => hides?.key === 'drafts/a.html')).toBe(true);
  expect(spelled.map(({ request }) => `${request.method} ${request.target}`)).toEqual(
    expect.arrayContaining([
      'HEAD //drafts/a.html',
      'GET /drafts%2fa.html',
      'GET /%64rafts/a.html',
      'GET /x/../drafts/a.html',
    ]),
  );
  expect(
    probes.flatMap(({ request, expected, about }) =>
      about === 'private spelling' ? [] : `${request.method} ${request.target} ${expected.status} ${about}`,
    ),
  ).toEqual([
    'GET /index.html 200 object',
    'GET /visit/index.html 200 object',
    'GET /not-found.html 200 object',
    'GET /drafts/a.html 403 private object',
    'GET / 200 folder',
    'GET /visit/ 200 folder',
    'GET /visit 302 folder without slash',
    'GET /old 301 moved address',
    'GET /shop/some/page 301 moved address',
    'GET /no-such-page-7f3a 404 wrong address',
    'GET /no-such-page-7f3a/ 404 wrong address',
    'GET /no-such/folder/at/depth/no-such-page-7f3a.html 404 wrong address',
    'GET /visit/no-such-page-7f3a 404 wrong address',
    'GET /visit/no-such/no-such-page-7f3a/ 404 wrong address',
    'GET /drafts/no-such-page-7f3a 403 wrong address',
    'GET /drafts/no-such/no-such-page-7f3a/ 403 wrong address',
    'POST / 405 another method',
    'DELETE /no-such-page-7f3a 405 another method',
  ]);
});

describe('what follows up on an object', () => {
  const probe = find('/index.html');
  const first: Observed = {
    ...perfect(probe),
    headers: {
      ...perfect(probe).headers,
      etag: '"weak-or-not"',
      'last-modified': 'Sun, 01 Nov 2026 00:00:00 GMT',
    },
    sliceDigest: 's'.repeat(64),
  };
  const followUps = [...(probe.followUps?.(first) ?? [])];
  it('are asked with what the endpoint itself said', () => {
    expect(followUps.map(({ about, request }) => [about, request.method, request.headers])).toEqual([
      ['HEAD', 'HEAD', {}],
      ['unchanged by ETag', 'GET', { 'if-none-match': '"weak-or-not"' }],
      ['unchanged by date', 'GET', { 'if-modified-since': 'Sun, 01 Nov 2026 00:00:00 GMT' }],
      ['a range', 'GET', { range: 'bytes=16-49' }],
    ]);
    expect([sliceOf(0), sliceOf(1), sliceOf(2), sliceOf(9000)]).toEqual([
      undefined,
      undefined,
      { start: 0, end: 1 },
      { start: 3000, end: 3999 },
    ]);
  });
  test.each<[string, Partial<Observed>, string[]]>([
    ['HEAD', { digest: '', length: 0 }, []],
    ['HEAD', { headers: { ...first.headers, 'content-length': '49' } }, ['length 50, as GET 49']],
    [
      'HEAD',
      { headers: { ...first.headers, etag: '"other"' } },
      ['validators "weak-or-not", as GET "other"'],
    ],
    ['HEAD', { status: 404 }, ['status 200, as GET 404']],
    ['unchanged by ETag', { status: 304 }, []],
    ['unchanged by ETag', { status: 200 }, ['validators 304 200']],
    ['unchanged by date', { status: 412 }, ['validators 304 412']],
    ['a range', { status: 206, digest: 's'.repeat(64) }, []],
    ['a range', { status: 200 }, ['range 206 200']],
    ['a range', { status: 206, digest: 't'.repeat(64), length: 34 }, ['range bytes 16-49 34 other bytes']],
  ])('%s answered %j', (about, change, expected) => {
    const followUp = followUps.find((each) => each.about === about) ?? probe;
    expect(
      compareAnswer(followUp, 'http://x.example/', { ...first, ...change }, first).map(
        (failure) => `${failure.aspect} ${failure.expected} ${failure.observed}`,
      ),
    ).toEqual(expected);
  });
});

it('finds nothing wrong with an endpoint that answers as the resolver does', () => {
  for (const probe of probes)
    expect(compareAnswer(probe, 'http://x.example' + probe.request.target, perfect(probe))).toEqual([]);
});

it('asks as pages of other sites do, and finds what they may read otherwise than was said', () => {
  const sharing = { origins: ['https://app.mill.example'], expose: [], keptFor: null };
  const shared = { ...view, settings: { ...view.settings, sharing } };
  const asked = [...listProbes(shared, [...rows.values()])].filter(
    ({ about }) => about === 'for another site',
  );
  const differences = (leave: Record<string, string>): string[] =>
    asked.flatMap((probe) => {
      const { 'access-control-allow-origin': _origin, vary: _vary, ...headers } = perfect(probe).headers;
      const observed = { ...perfect(probe), headers: { ...headers, ...leave } };
      return compareAnswer(probe, 'http://x.example' + probe.request.target, observed).map(
        ({ header = '', expected, observed: got }) => `${header} ${expected} ${got}`,
      );
    });
  expect(asked.length).toBeGreaterThan(3);
  expect(asked.flatMap((probe) => compareAnswer(probe, 'http://x.example/', perfect(probe)))).toEqual([]);
  expect(new Set(differences({}))).toEqual(
    new Set(['Access-Control-Allow-Origin https://app.mill.example absent', 'Vary Origin absent']),
  );
  expect(new Set(differences({ 'access-control-allow-origin': '*', vary: 'Accept, origin' }))).toEqual(
    new Set([
      'Access-Control-Allow-Origin https://app.mill.example *',
      'Access-Control-Allow-Origin absent *',
    ]),
  );
});

describe('what it finds, and the cure', () => {
  test.each<[string, Partial<Observed>, string, RegExp]>([
    ['/', { status: 403 }, 'status', /refuses the public/],
    ['/index.html', { status: 404 }, 'status', /publish again/],
    ['/', { status: 503 }, 'status', /itself fails/],
    ['/no-such-page-7f3a', { status: 200 }, 'status', /200 for a wrong address/],
    ['/no-such-page-7f3a', { status: 403 }, 'status', /missingKey/],
    ['/', { digest: 'e'.repeat(64) }, 'bytes', /rewrites or keeps an old copy/],
    ['/visit/', { status: 404 }, 'status', /no index document for folders/],
    ['/visit', { status: 404 }, 'status', /does not redirect to the folder/],
    ['/old', { status: 404 }, 'status', /does not know the moved address/],
    ['/drafts/a.html', { status: 200 }, 'status', /lets anyone read it/],
    [
      '/index.html',
      { headers: { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-cache' } },
      'validators',
      /without a validator/,
    ],
    ['/', { status: 429 }, 'status', /lower --rate/],
    ['/old', { headers: { location: '/elsewhere' } }, 'location', /redirect/],
  ])('%s observed %j', (target, change, aspect, fix) => {
    const probe = find(target);
    const failures = compareAnswer(probe, `http://x.example${target}`, { ...perfect(probe), ...change });
    expect(failures.map((failure) => failure.aspect)).toEqual([aspect]);
    expect(describeCause(failures[0]?.cause ?? 'missing')).toMatch(fix);
  });
  test.each<[string, string, string[]]>([
    ['content-type', 'text/plain', ['type']],
    ['content-type', 'TEXT/HTML;charset="utf-8"', []],
    ['cache-control', 'max-age=60', ['caching']],
    ['content-length', '49', ['length']],
    ['content-encoding', 'gzip', ['encoding']],
  ])('%s: %s', (name, value, aspects) => {
    const probe = find('/');
    const good = perfect(probe);
    expect(
      compareAnswer(probe, 'http://x.example/', { ...good, headers: { ...good.headers, [name]: value } }).map(
        ({ aspect }) => aspect,
      ),
    ).toEqual(aspects);
  });
  it('takes any redirect to the folder, and an absolute location for a relative one', () => {
    const probe = find('/visit');
    expect(
      compareAnswer(probe, 'http://x.example/visit', {
        ...perfect(probe),
        status: 301,
        headers: { location: 'http://x.example/visit/' },
      }),
    ).toEqual([]);
  });
});

it('failures with one cause are one group, the largest first', () => {
  const failures = probes
    .filter(({ expected }) => expected.status === 200)
    .flatMap((probe) =>
      compareAnswer(probe, `http://x.example${probe.request.target}`, { ...perfect(probe), status: 403 }),
    );
  const other = compareAnswer(find('/old'), 'http://x.example/old', {
    ...perfect(find('/old')),
    status: 404,
  });
  expect(
    groupFailures([...other, ...failures]).map(({ cause, failures: group }) => [group.length, cause]),
  ).toEqual([
    [5, 'refuses-public'],
    [1, 'moved-unknown'],
  ]);
});

it('each pair of a type that is due and one that is sent is a group', () => {
  const failures = probes
    .filter(({ expected, about }) => expected.status === 200 && about === 'object')
    .flatMap((probe, at) =>
      compareAnswer(probe, `http://x.example${probe.request.target}`, {
        ...perfect(probe),
        headers: { ...perfect(probe).headers, 'content-type': at % 2 === 0 ? 'text/plain' : 'image/gif' },
      }),
    );
  const pairs = groupFailures(failures).map(({ first: { expected, observed } }) => `${expected} ${observed}`);
  expect(pairs.length).toBeGreaterThan(1);
  expect(new Set(pairs).size).toBe(pairs.length);
});

it('a method that is refused in any way is right, one that is taken is not', () => {
  const probe = find('/no-such-page-7f3a');
  const remove = probes.find(({ request }) => request.method === 'DELETE') ?? probe;
  for (const status of [400, 403, 404, 405, 501])
    expect(compareAnswer(remove, 'http://x.example/', { ...perfect(remove), status })).toEqual([]);
  expect(compareAnswer(remove, 'http://x.example/', { ...perfect(remove), status: 204 })[0]?.cause).toBe(
    'takes-writing',
  );
});
