import fc from 'fast-check';
import { expect, test } from 'vitest';
import { parseConnection } from './connection.js';
import type { PageLoad, SiteAnswer, Wanted } from './page-load.js';
import { PrivateCache, type VisitKind } from './private-cache.js';
import { momentsOf, Visits, withHeader, type VisitPlan } from './run-visits.js';
import type { KnownLoad } from './visit.js';

const AT = Date.UTC(2026, 10, 25, 12);
const USES = ['style', 'script', 'image', 'font', 'media', 'icon', 'manifest'] as const;

const answerOf = (cacheControl: string | undefined, more: Partial<SiteAnswer> = {}): SiteAnswer => ({
  status: 200,
  headers: { ETag: '"a"', ...(cacheControl === undefined ? {} : { 'Cache-Control': cacheControl }) },
  head: 250,
  confirmedHead: 200,
  size: 1000,
  ...more,
});

const header = fc.oneof(
  fc.constantFrom(undefined, 'no-store', 'no-cache', 'max-age=0', 'must-revalidate'),
  fc.nat(2_000_000).map((seconds) => `max-age=${seconds}`),
  fc.tuple(fc.nat(1000), fc.nat(100_000)).map(([a, b]) => `max-age=${a}, stale-while-revalidate=${b}`),
);

interface RandomSite {
  readonly answers: ReadonlyMap<string, SiteAnswer>;
  readonly loads: readonly KnownLoad[];
}

const resource = fc.record({
  use: fc.constantFrom(...USES),
  by: fc.nat(5),
  cacheControl: header,
  size: fc.nat(200_000),
});

/** Pages that share some of what they load. */
const site: fc.Arbitrary<RandomSite> = fc
  .tuple(
    fc.array(resource, { minLength: 1, maxLength: 8 }),
    fc.array(fc.record({ header, parts: fc.array(fc.nat(7), { maxLength: 6 }) }), {
      minLength: 1,
      maxLength: 4,
    }),
  )
  .map(([resources, pages]) => {
    const answers = new Map<string, SiteAnswer>();
    resources.forEach(({ cacheControl, size }, n) =>
      answers.set(`http://a.invalid/r${n}`, answerOf(cacheControl, { size })),
    );
    const loads = pages.map(({ header: cacheControl, parts }, n): KnownLoad => {
      const url = `http://a.invalid/p${n}`;
      answers.set(url, answerOf(cacheControl));
      const wanted: Wanted[] = [{ url, use: 'page', by: -1, when: 'met', blocking: true }];
      for (const part of new Set(parts)) {
        const { use = 'image', by = 0 } = resources[part % resources.length] ?? {};
        const address = `http://a.invalid/r${part % resources.length}`;
        if (wanted.some((each) => each.url === address)) continue;
        const when = use === 'icon' || use === 'manifest' ? 'late' : use === 'font' ? 'layout' : 'met';
        wanted.push({
          url: address,
          use,
          by: Math.min(by, wanted.length - 1),
          when,
          blocking: use === 'style',
        });
      }
      const load: PageLoad = {
        url,
        wanted,
        unknown: { scripts: 0, lazy: 0, media: 0, seen: 0, elsewhere: [], elsewhereRequests: 0, others: [] },
      };
      return { load, answers };
    });
    return { answers, loads };
  });

const plan = (after: readonly number[]): VisitPlan => ({
  at: AT,
  after,
  inSequence: false,
  reload: false,
  forced: false,
  line: parseConnection('80 ms, 10 Mbit/s'),
  inFull: true,
});
const moments = fc.array(fc.nat(3_000_000), { minLength: 1, maxLength: 3 });

function run(loads: readonly KnownLoad[], given: VisitPlan, change?: (answer: SiteAnswer) => SiteAnswer) {
  const visits = new Visits(given, change);
  loads.forEach((load) => visits.add(load));
  return visits.run();
}

test('what may not be kept is never used again, and what is fresh is never asked for', () => {
  fc.assert(
    fc.property(site, moments, ({ answers, loads }, after) => {
      for (const visit of run(loads, plan(after)))
        for (const { url, from, use } of visit.responses) {
          const value = answers.get(url)?.headers['Cache-Control'] ?? '';
          if (value === 'no-store') expect(from).toBe('network');
          const [, seconds] = /^max-age=(\d+)/.exec(value) ?? [];
          if (visit.kind === 'return' && use !== 'icon' && Number(seconds) > visit.after)
            expect(from).toBe('cache');
        }
    }),
    { numRuns: 400 },
  );
});

test('more freshness never costs more requests or bytes', () => {
  fc.assert(
    fc.property(site, moments, fc.nat(2_000_000), fc.nat(7), ({ answers, loads }, after, seconds, which) => {
      const chosen = answers.get(`http://a.invalid/r${which}`);
      const longer = (answer: SiteAnswer): SiteAnswer => {
        const value = answer.headers['Cache-Control'] ?? '';
        const [, now = '0'] = /^max-age=(\d+)$/.exec(value) ?? [];
        if (answer !== chosen || value === 'no-store' || value.includes('stale')) return answer;
        return {
          ...withHeader(answer, `max-age=${Math.max(seconds, Number(now))}`),
          confirmedHead: answer.confirmedHead,
          head: answer.head,
        };
      };
      const [before, then] = [run(loads, plan(after)), run(loads, plan(after), longer)];
      then.forEach(({ totals }, n) => {
        expect(totals.requests).toBeLessThanOrEqual(before[n]?.totals.requests ?? 0);
        expect(totals.bytes).toBeLessThanOrEqual(before[n]?.totals.bytes ?? 0);
      });
    }),
    { numRuns: 400 },
  );
});

test('time never runs backwards, and nothing comes before what it is met in', () => {
  fc.assert(
    fc.property(site, moments, ({ loads }, after) => {
      for (const { responses } of run(loads, plan(after)))
        for (const { time, page, url } of responses) {
          expect(time.from).toBeLessThanOrEqual(time.asked);
          expect(time.asked).toBeLessThanOrEqual(time.answered);
          expect(time.answered).toBeLessThanOrEqual(time.to);
          const { load } = loads.find((each) => each.load.url === page) ?? {};
          const by = load?.wanted[load.wanted.find((each) => each.url === url)?.by ?? -1];
          const met = by && responses.find((each) => each.page === page && each.url === by.url);
          if (met) expect(time.from).toBeGreaterThanOrEqual(met.time.to);
        }
    }),
    { numRuns: 400 },
  );
});

test('a walk costs no more requests or bytes than its pages one by one', () => {
  fc.assert(
    fc.property(site, moments, ({ loads }, after) => {
      const [walk] = run(loads, plan(after));
      const alone = loads.map((load) => run([load], plan([]))[0]?.totals);
      const sum = (of: 'requests' | 'bytes'): number =>
        alone.reduce((all, totals) => all + (totals?.[of] ?? 0), 0);
      // A stale copy that is used is asked for behind it, once more than alone.
      const behind = walk?.responses.filter(({ why }) => why.what === 'meanwhile').length ?? 0;
      expect(walk?.totals.requests).toBeLessThanOrEqual(sum('requests') + behind);
      expect(walk?.totals.bytes).toBeLessThanOrEqual(sum('bytes') + behind * 200);
    }),
    { numRuns: 400 },
  );
});

const load = (
  cache: PrivateCache,
  use: Wanted['use'],
  kind: VisitKind,
  seconds: number,
  answer = answerOf('max-age=600'),
) =>
  cache
    .load({ url: 'http://a.invalid/x', use }, answer, kind, AT + seconds * 1000)
    .map(({ status, why }) => `${status ?? 'none'} ${why.what}`);

test.each<[string, Wanted['use'], readonly (readonly [VisitKind, number, string])[], string | undefined]>([
  [
    'A2 a reload asks for the page, however fresh',
    'page',
    [
      ['visit', 0, '200 first'],
      ['reload', 1, '304 reload'],
    ],
    'max-age=600',
  ],
  [
    'A2 and not for what it loads',
    'script',
    [
      ['visit', 0, '200 first'],
      ['reload', 1, 'none fresh'],
    ],
    'max-age=600',
  ],
  [
    'A3 a forced reload fetches everything',
    'script',
    [
      ['visit', 0, '200 first'],
      ['forced', 1, '200 forced'],
      ['visit', 2, 'none fresh'],
    ],
    'max-age=600',
  ],
  [
    'A5 the way back uses what is stale',
    'script',
    [
      ['visit', 0, '200 first'],
      ['back', 9000, 'none back'],
    ],
    'max-age=600',
  ],
  [
    'A5 but nothing that may not be kept',
    'script',
    [
      ['visit', 0, '200 never-stored'],
      ['back', 1, '200 never-stored'],
    ],
    'no-store',
  ],
  [
    'A6 asked on every page of a walk',
    'style',
    [
      ['visit', 0, '200 first'],
      ['visit', 0, '304 stale'],
      ['visit', 0, '304 stale'],
    ],
    'no-cache',
  ],
  [
    'C5 used while it is asked for',
    'script',
    [
      ['visit', 0, '200 first'],
      ['visit', 700, 'none grace+304 meanwhile'],
      ['visit', 701, 'none fresh'],
    ],
    'max-age=600, stale-while-revalidate=600',
  ],
  [
    'C5 not for pages',
    'page',
    [
      ['visit', 0, '200 first'],
      ['visit', 700, '304 stale'],
    ],
    'max-age=600, stale-while-revalidate=600',
  ],
  [
    'D12 an icon is looked for once a week',
    'icon',
    [
      ['visit', 0, '200 first'],
      ['visit', 500_000, ''],
      ['visit', 700_000, '304 stale'],
    ],
    'max-age=600',
  ],
  [
    'D12 even what may not be kept',
    'icon',
    [
      ['visit', 0, '200 never-stored'],
      ['visit', 500_000, ''],
    ],
    'no-store',
  ],
  [
    'D12 a reload asks by its headers',
    'icon',
    [
      ['visit', 0, '200 first'],
      ['reload', 1, 'none fresh'],
      ['reload', 700, '304 stale'],
    ],
    'max-age=600',
  ],
  [
    'D14 a film is asked for by its bytes',
    'media',
    [
      ['visit', 0, '206 first'],
      ['visit', 700, '304 stale'],
    ],
    'max-age=600',
  ],
])('%s', (_line, use, steps, cacheControl) => {
  const cache = new PrivateCache();
  const answer = answerOf(cacheControl);
  const given =
    use === 'media' ? { ...answer, headers: { ...answer.headers, 'Accept-Ranges': 'bytes' } } : answer;
  for (const [kind, seconds, expected] of steps)
    expect(load(cache, use, kind, seconds, given).join('+')).toBe(expected);
});

test('D12 an icon that is not there is looked for again only in a browser that was closed', () => {
  const cache = new PrivateCache();
  const missing = answerOf(undefined, { status: 404 });
  expect(load(cache, 'icon', 'visit', 0, missing)).toEqual(['404 first']);
  expect(load(cache, 'icon', 'visit', 1, missing)).toEqual([]);
  expect(load(new PrivateCache(cache), 'icon', 'visit', 2, missing)).toEqual(['404 stale']);
});

test('C1 a 304 that says no-store is the last of what was kept', () => {
  const cache = new PrivateCache();
  load(cache, 'script', 'visit', 0, answerOf('no-cache'));
  expect(load(cache, 'script', 'visit', 1, answerOf('no-store'))).toEqual(['304 stale']);
  expect(load(cache, 'script', 'visit', 2, answerOf('no-store'))).toEqual(['200 never-stored']);
});

test('returns are looked at when most of what is kept expires', () => {
  const answers = new Map([
    ['a', answerOf('max-age=600', { size: 10 })],
    ['b', answerOf('max-age=86400', { size: 5000 })],
    ['c', answerOf('max-age=3600', { size: 900 })],
    ['d', answerOf('no-cache')],
  ]);
  const wanted = ['a', 'b', 'c', 'd'].map((url): Wanted => ({
    url,
    use: 'image',
    by: -1,
    when: 'met',
    blocking: false,
  }));
  const page: PageLoad = {
    url: 'a',
    wanted,
    unknown: { scripts: 0, lazy: 0, media: 0, seen: 0, elsewhere: [], elsewhereRequests: 0, others: [] },
  };
  expect(momentsOf([{ load: page, answers }], AT, 3)).toEqual([0, 3600, 86_400]);
  expect(momentsOf([{ load: page, answers: new Map() }], AT, 3)).toEqual([0, 86_400, 2_592_000]);
});

test.each(['80 ms, 10 Mbit/s', '0.3 s, 500 kbit/s, HTTP/2', 'slow phone', 'Home'])(
  'the connection "%s"',
  (text) => {
    expect(parseConnection(text).bandwidth).toBeGreaterThan(0);
  },
);
test.each([
  '',
  '80',
  'fast',
  '80 ms',
  '80 ms, 10',
  '80 ms, 0 Mbit/s',
  '80 ms, 10 Mbit/s, HTTP/9',
  '99 s, 1 bit/s',
])('"%s" is no connection', (text) => {
  expect(() => parseConnection(text)).toThrow(/is no connection/);
});
