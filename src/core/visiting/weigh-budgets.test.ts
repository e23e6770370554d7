import { expect, test } from 'vitest';
import type { Budget } from './budget.js';
import { createBudgets, weighLoads } from './weigh-budgets.js';
import { parseConnection } from './connection.js';
import { describeExcess } from './describe-budget.js';
import type { SiteAnswer } from './page-load.js';
import { typicalTimeOut } from './time-out.js';

const BUDGETS: readonly Budget[] = [
  { line: 10, pages: ['**'], first: { requests: 3, bytes: 5000 }, again: { requests: 1 } },
  { line: 20, pages: ['news/**', 'old.html'], first: { requests: 9 } },
  { line: 30, pages: ['news/today.html'], first: { bytes: 100 } },
];

test.each([
  ['index.html', ['first requests 3 10', 'first bytes 5000 10', 'again requests 1 10']],
  ['old.html', ['first requests 9 20', 'first bytes 5000 10', 'again requests 1 10']],
  ['news/today.html', ['first requests 9 20', 'first bytes 100 30', 'again requests 1 10']],
])('of several budgets of %s the last one that names a figure counts', (key, limits) => {
  const found = createBudgets(BUDGETS)(key).map(
    ({ visit, figure, most, line }) => `${visit} ${figure} ${most} ${line}`,
  );
  expect(found).toEqual(limits);
});

const answer = (key: string, size: number, cache: string): SiteAnswer => ({
  status: 200,
  headers: { 'Cache-Control': cache, ETag: `"${key}"` },
  head: 100,
  confirmedHead: 80,
  size,
  key,
});
const UNKNOWN = { scripts: 0, lazy: 0, media: 0, seen: 0, elsewhere: [], elsewhereRequests: 0, others: [] };

test('a page is weighed by itself, first and right after, under the key without the folder of its site', () => {
  const answers = new Map([
    ['http://a.invalid/docs/', answer('docs/index.html', 4800, 'no-cache')],
    ['http://a.invalid/docs/a.css', answer('docs/a.css', 10, 'no-cache')],
  ]);
  const wanted = [...answers.keys()].map((url, at) => ({
    url,
    use: at === 0 ? ('page' as const) : ('style' as const),
    by: at - 1,
    when: 'met' as const,
    blocking: false,
  }));
  const load = { url: 'http://a.invalid/docs/', wanted, unknown: { ...UNKNOWN, scripts: 2 } };
  const weigh = (under: string): string[] =>
    weighLoads(BUDGETS, [{ load, answers }], under, 0, parseConnection('80 ms, 10 Mbit/s')).overBudget.map(
      (excess) => `${excess.line} ${describeExcess(excess)}`,
    );
  expect(weigh('docs/')).toEqual([
    '10 a first visit takes 5,010 B and what 2 scripts may ask for; its budget is 5,000 B',
    '10 a visit right after the first takes 2 requests and what 2 scripts may ask for; its budget is 1 request',
  ]);
  expect(weigh('other/')).toEqual([]);
});

const HOUR = 3_600_000;
test.each([
  ['no release', [], 604_800, 'assumed'],
  ['one', [5 * HOUR], 604_800, 'assumed'],
  ['corrections alone', [0, HOUR / 2, HOUR / 4], 604_800, 'assumed'],
  ['three, in any order', [40 * HOUR, 0, 10 * HOUR], 20 * 3600, 'history'],
  [
    'an odd number of spans, corrections left out',
    [0, 2 * HOUR, 2.5 * HOUR, 6 * HOUR, 40 * HOUR],
    12_600,
    'history',
  ],
])('how long a release is out: %s', (_, times, seconds, by) => {
  expect(typicalTimeOut(times)).toEqual({ seconds, by });
});
