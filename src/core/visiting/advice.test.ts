import { expect, test } from 'vitest';
import type { ChangeHistory } from '../release/change-history.js';
import { adviseCaching } from './advice.js';
import type { PageLoad, SiteAnswer, Wanted } from './page-load.js';
import { Visits, type VisitPlan } from './run-visits.js';

const DAY = 86_400;
const answerOf = (key: string, type: string, cacheControl: string): SiteAnswer => ({
  status: 200,
  headers: { 'Content-Type': type, 'Cache-Control': cacheControl, ETag: '"a"' },
  head: 300,
  confirmedHead: 200,
  size: 5000,
  key,
});

/** A page with one object beside it. */
function advise(key: string, type: string, cacheControl: string, history: ChangeHistory | undefined) {
  const page = 'http://a.invalid/';
  const url = page + key;
  const wanted: Wanted[] = [
    { url: page, use: 'page', by: -1, when: 'met', blocking: true },
    { url, use: 'image', by: 0, when: 'met', blocking: false },
  ];
  const load: PageLoad = {
    url: page,
    wanted,
    unknown: { scripts: 0, lazy: 0, media: 0, seen: 0, elsewhere: [], elsewhereRequests: 0, others: [] },
  };
  const answers = new Map([
    [page, answerOf('index.html', 'text/html', 'no-cache')],
    [url, answerOf(key, type, cacheControl)],
  ]);
  const plan: VisitPlan = {
    at: 0,
    after: [0, 30 * 60, DAY / 2, 5 * DAY, 20 * DAY],
    inSequence: false,
    reload: false,
    forced: false,
    line: undefined,
    inFull: false,
  };
  const run = (change?: (answer: SiteAnswer) => SiteAnswer) => {
    const visits = new Visits(plan, change);
    visits.add({ load, answers });
    return visits.run();
  };
  return adviseCaching([{ load, answers }], run(), history, run);
}

const changed = (times: number, days: number): ChangeHistory => ({
  releases: 20,
  span: days * DAY,
  changes: new Map([['posters/a.png', new Set(Array.from({ length: times }, (_, n) => n))]]),
});

test.each<[string, string, string, string, ChangeHistory | undefined, readonly unknown[]]>([
  [
    'changed every 9 days: 1 day is safe, 10 are not',
    'posters/a.png',
    'image/png',
    'no-cache',
    changed(6, 54),
    [DAY, 3, 'changes'],
  ],
  ['changed twice a day: not even an hour', 'posters/a.png', 'image/png', 'no-cache', changed(20, 0.1), []],
  [
    'never changed in 40 days',
    'posters/b.png',
    'image/png',
    'no-cache',
    changed(6, 40),
    [30 * DAY, 5, 'unchanged'],
  ],
  ['nobody knows yet', 'posters/a.png', 'image/png', 'no-cache', undefined, [DAY, 3, 'unknown']],
  [
    'styles need a name first',
    'styles/a.css',
    'text/css',
    'no-cache',
    changed(0, 400),
    [365 * DAY, 5, 'needs-name'],
  ],
  [
    'a name with a hash',
    'assets/a.3f9c2a7b.css',
    'text/css',
    'no-cache',
    undefined,
    [365 * DAY, 5, 'named-by-content'],
  ],
  ['kept for a year already', 'posters/b.png', 'image/png', 'max-age=31536000', changed(0, 400), []],
  ['what may not be kept stays so', 'posters/b.png', 'image/png', 'no-store', changed(0, 400), []],
])('%s', (_what, key, type, cacheControl, history, expected) => {
  const advice = advise(key, type, cacheControl, history);
  const [best] = advice;
  expect(best ? [best.fresh, best.saves.requests, best.risk.kind] : []).toEqual(expected);
  // A line by type and one by folder save the same here: one of them is enough.
  expect(advice.length).toBeLessThanOrEqual(1);
});
