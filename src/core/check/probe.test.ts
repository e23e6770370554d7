import { describe, expect, it, test } from 'vitest';
import { headersToRecord } from '../hosting/answer.js';
import { NEW_BUCKET_SETTINGS, type BucketView } from '../hosting/bucket-view.js';
import type { StoredObject } from '../site/site-object.js';
import { compareAnswer, listManners, listProbes, type Observed, type Probe } from './probe.js';

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

it('asks for every object, folder, moved address and wrong addresses at two depths', () => {
  expect(probes.map(({ request, expected }) => `${request.target} ${expected.status}`)).toEqual([
    '/index.html 200',
    '/visit/index.html 200',
    '/not-found.html 200',
    '/drafts/a.html 403',
    '/ 200',
    '/visit/ 200',
    '/visit 302',
    '/no-such-page-7f3a 404',
    '/no-such/folder/at/depth-7f3a 404',
    '/old 301',
    '/shop/some/page 301',
  ]);
  expect(
    [...listManners(view, object('index.html'))].map(
      ({ request, expected }) => `${request.method} ${expected.status}`,
    ),
  ).toEqual(['HEAD 200', 'GET 304', 'GET 206']);
});

it('finds nothing wrong with an endpoint that answers as the resolver does', () => {
  for (const probe of probes)
    expect(compareAnswer(probe, 'http://x.example' + probe.request.target, perfect(probe))).toEqual([]);
});

describe('what it finds, and the cure', () => {
  test.each<[string, Partial<Observed>, string, RegExp]>([
    ['/', { status: 403 }, 'status', /refuses the public/],
    ['/', { status: 404 }, 'status', /publish again/],
    ['/', { status: 503 }, 'status', /itself fails/],
    ['/no-such-page-7f3a', { status: 200 }, 'status', /200 for a wrong address/],
    ['/no-such-page-7f3a', { status: 403 }, 'status', /missingKey/],
    ['/', { digest: 'e'.repeat(64) }, 'bytes', /rewrites or keeps an old copy/],
    ['/old', { headers: { location: '/elsewhere' } }, 'location', /redirect/],
  ])('%s observed %j', (target, change, aspect, fix) => {
    const probe = find(target);
    const failures = compareAnswer(probe, `http://x.example${target}`, { ...perfect(probe), ...change });
    expect(failures.map((failure) => failure.aspect)).toEqual([aspect]);
    expect(failures[0]?.fix).toMatch(fix);
  });
  test.each<[string, string, string[]]>([
    ['content-type', 'text/plain', ['content-type']],
    ['content-type', 'TEXT/HTML;charset="utf-8"', []],
    ['cache-control', 'max-age=60', ['cache-control']],
    ['content-length', '49', ['content-length']],
    ['content-encoding', 'gzip', ['content-encoding']],
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
