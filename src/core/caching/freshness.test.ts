import { expect, test } from 'vitest';
import { ageOf, confirm, decideReuse, freshnessOf, type KeptAnswer, shownFor } from './freshness.js';
import { formatHttpDate } from './http-date.js';

const NOW = Date.UTC(2026, 10, 25, 12);
const DAY = 86_400;
const date = (seconds: number): string => formatHttpDate(NOW + seconds * 1000);
const LM = { 'Last-Modified': date(-10 * DAY) };
const TAG = { ETag: '"a"' };
const cc = (value: string): Record<string, string> => ({ 'Cache-Control': value });

/** What a browser did in a new tab a second later: no request, a conditional one, an unconditional one. */
type Seen = 'none' | 'ask c' | 'ask';
type Row = readonly [line: string, headers: Record<string, string>, seen: Seen, status?: number];

const ROWS: readonly Row[] = [
  ['1 nothing at all', {}, 'ask'],
  ['2 ETag only', TAG, 'ask c'],
  ['2 weak ETag only', { ETag: 'W/"a"' }, 'ask c'],
  ['3 LM ten days ago', LM, 'none'],
  ['3 with ETag', { ...LM, ...TAG }, 'none'],
  ['4 LM = Date', { 'Last-Modified': date(0) }, 'ask c'],
  ['4 LM in the future', { 'Last-Modified': date(3600) }, 'ask c'],
  ['4 LM unparsable', { 'Last-Modified': 'yesterday' }, 'ask c'],
  ['5 LM 1970', { 'Last-Modified': formatHttpDate(0) }, 'none'],
  ['6 max-age', cc('max-age=600'), 'none'],
  ['7 max-age=0', { ...cc('max-age=0'), ...LM }, 'ask c'],
  ['7 no-cache', { ...cc('no-cache'), ...TAG }, 'ask c'],
  ['7 no-cache beside max-age', { ...cc('no-cache, max-age=600'), ...TAG }, 'ask c'],
  ['7 without validators', cc('no-cache'), 'ask'],
  ['9 must-revalidate beside max-age', cc('max-age=600, must-revalidate'), 'none'],
  ['10 must-revalidate alone', { ...cc('must-revalidate'), ...LM }, 'ask c'],
  ['11 proxy-revalidate', { ...cc('proxy-revalidate'), ...LM }, 'none'],
  ['11 private', { ...cc('private'), ...LM }, 'none'],
  ['11 public, ETag only', { ...cc('public'), ...TAG }, 'ask c'],
  ['12 immutable alone, ETag', { ...cc('immutable'), ...TAG }, 'ask c'],
  ['12 immutable alone, LM', { ...cc('immutable'), ...LM }, 'none'],
  ['13 s-maxage=0', cc('s-maxage=0, max-age=600'), 'none'],
  ['13 s-maxage alone', { ...cc('s-maxage=600'), ...TAG }, 'ask c'],
  ['14 Expires in the future', { Expires: date(600) }, 'none'],
  ['14 Expires past beats the heuristic', { Expires: date(-600), ...LM }, 'ask c'],
  ['14 Expires 0', { Expires: '0', ...LM }, 'ask c'],
  ['14 Expires = Date', { Expires: date(0), ...LM }, 'ask c'],
  ['15 Expires -1', { Expires: '-1', ...LM }, 'none'],
  ['15 Expires no date', { Expires: 'never', ...LM }, 'none'],
  ['16 max-age decides', { Expires: date(-600), ...cc('max-age=600') }, 'none'],
  ['16 both ways', { Expires: date(600), ...cc('max-age=0'), ...TAG }, 'ask c'],
  ['17 no-cache for a field', cc('no-cache="set-cookie", max-age=600'), 'none'],
  ['17 private for a field', { ...cc('private="x"'), ...LM }, 'none'],
  ['18 Pragma + LM', { Pragma: 'no-cache', ...LM }, 'ask c'],
  ['18 Pragma + Expires', { Pragma: 'no-cache', Expires: date(600), ...TAG }, 'ask c'],
  ['18 Pragma + max-age', { Pragma: 'no-cache', ...cc('max-age=600'), ...TAG }, 'ask c'],
  ['19 Age 500', { ...cc('max-age=600'), Age: '500' }, 'none'],
  ['19 Age 700', { ...cc('max-age=600'), Age: '700', ...TAG }, 'ask c'],
  ['19 Age unparsable', { ...cc('max-age=600'), Age: 'old' }, 'none'],
  ['20 Date an hour ago', { Date: date(-3600), ...cc('max-age=600'), ...TAG }, 'ask c'],
  ['20 Date in the future', { Date: date(3600), ...cc('max-age=600') }, 'none'],
  ['21 Expires - Date', { Date: date(-3600), Expires: date(3600) }, 'none'],
  ['22 Vary: *', { Vary: '*', ...cc('max-age=600'), ...TAG }, 'ask c'],
  ['23 Vary on what stays the same', { Vary: 'Accept-Encoding, Origin', ...cc('max-age=600') }, 'none'],
  ['25 the first counts', { ...cc('max-age=0, max-age=600'), ...TAG }, 'ask c'],
  ['25 reversed', cc('max-age=600, max-age=0'), 'none'],
  ['26 two fields, joined', { ...cc('max-age=600, no-cache'), ...TAG }, 'ask c'],
  ...['max-age="600"', 'max-age=600.5', 'max-age=600s', 'max-age=-1', 'max-age='].flatMap((value): Row[] => [
    [`27 ${value}, ETag`, { ...cc(value), ...TAG }, 'ask c'],
    [`27 ${value}, LM`, { ...cc(value), ...LM }, 'none'],
  ]),
  ['28 capitals', cc('MAX-AGE=600'), 'none'],
  ['28 a space', cc('max-age= 600'), 'none'],
  ['28 a space before the sign', { ...cc('max-age =600'), ...TAG }, 'ask c'],
  ['28 spaces round the sign', { ...cc('MAX-AGE = 600'), ...TAG }, 'ask c'],
  ['28 very large', cc('max-age=99999999999'), 'none'],
  ['29 a semicolon', { ...cc('public; max-age=600'), ...TAG }, 'ask c'],
  ['29 a semicolon after no-cache', { ...cc('no-cache; max-age=600'), ...LM }, 'none'],
  ['30 Set-Cookie', { 'Set-Cookie': 'a=b', ...cc('max-age=600') }, 'none'],
  ...[404, 403, 500, 503].map((status): Row => [`31 ${status}`, cc('max-age=600'), 'none', status]),
  ['31 404 with Expires', { Expires: date(600) }, 'none', 404],
  ...[404, 403].flatMap((status): Row[] => [
    [`32 ${status}`, {}, 'ask', status],
    [`32 ${status} with validators`, { ...LM, ...TAG }, 'ask', status],
  ]),
  ['33 410', {}, 'none', 410],
  ['33 203', LM, 'none', 203],
  ...[301, 308].flatMap((status): Row[] => [
    [`34 ${status}`, {}, 'none', status],
    [`34 ${status} no-cache`, cc('no-cache'), 'ask', status],
    [`34 ${status} max-age=0`, cc('max-age=0'), 'ask', status],
    [`34 ${status} Expires past`, { Expires: date(-1) }, 'ask', status],
  ]),
  ...[302, 303, 307].flatMap((status): Row[] => [
    [`35 ${status}`, {}, 'ask', status],
    [`35 ${status} with LM`, LM, 'ask', status],
    [`35 ${status} with max-age`, cc('max-age=600'), 'none', status],
  ]),
];

const SECOND_LATER = NOW + 1000;
const seen = (answer: KeptAnswer, now = SECOND_LATER, graceful = false): Seen | 'grace' => {
  const reuse = decideReuse(answer, now, graceful);
  return reuse.kind === 'fresh'
    ? 'none'
    : reuse.kind === 'grace'
      ? 'grace'
      : reuse.conditional
        ? 'ask c'
        : 'ask';
};

for (const [line, given, expected, status = 200] of ROWS)
  test(line, () => {
    const headers = { Date: date(0), ...given };
    expect(seen({ status, headers, at: NOW })).toBe(expected);
    const lower = Object.fromEntries(
      Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]),
    );
    expect(seen({ status, headers: lower, at: NOW })).toBe(expected);
  });

test('8 no-store, in any case and with anything', () => {
  for (const value of ['no-store', 'NO-STORE', 'no-store, max-age=600', 'max-age=600, no-store="x"'])
    expect(freshnessOf({ status: 200, headers: cc(value), at: NOW })).toEqual({
      lifetime: 0,
      by: 'no-store',
      staleWhileRevalidate: 0,
    });
});

test('5, 6 a lifetime ends to the second', () => {
  const tenYears = { status: 200, headers: { Date: date(0), 'Last-Modified': date(-3650 * DAY) }, at: NOW };
  expect(seen(tenYears, NOW + (365 * DAY - 60) * 1000)).toBe('none');
  expect(seen(tenYears, NOW + (365 * DAY + 1) * 1000)).toBe('ask c');
  const tenDays = { status: 200, headers: { ...cc('max-age=864000'), ...TAG }, at: NOW };
  expect(seen(tenDays, NOW + 863_999_000)).toBe('none');
  expect(seen(tenDays, NOW + 864_000_000)).toBe('ask c');
  expect(seen({ status: 301, headers: {}, at: NOW }, NOW + 5 * 365 * DAY * 1000)).toBe('none');
});

test('4 what was changed in the second in which it is sent is asked for, whatever the milliseconds', () => {
  const answer = { status: 200, headers: { 'Last-Modified': date(0) }, at: NOW + 700 };
  expect(seen(answer, NOW + 701)).toBe('ask c');
});

const LATER = NOW + 700_000;
const kept = (headers: Record<string, string>): KeptAnswer => ({
  status: 200,
  headers: { ...TAG, ...headers },
  at: NOW,
});

test('C1 a 304 restarts the lifetime, with its own headers where it has some', () => {
  const stale = kept(cc('max-age=600'));
  expect(seen(stale, LATER)).toBe('ask c');
  expect(seen(confirm(stale, { Date: formatHttpDate(LATER) }, LATER), LATER + 1000)).toBe('none');
  expect(seen(confirm(kept(cc('max-age=2')), cc('max-age=600'), LATER), LATER + 3000)).toBe('none');
  expect(seen(confirm(stale, { 'cache-control': 'no-cache' }, LATER), LATER + 1000)).toBe('ask c');
});

test('C2 an Age that a 304 does not name stays', () => {
  const old = confirm(kept({ ...cc('max-age=600'), Age: '700' }), { Date: formatHttpDate(LATER) }, LATER);
  expect(ageOf(old, LATER)).toBe(700);
  expect(seen(old, LATER)).toBe('ask c');
});

test('C3 a Date in the past of a 304 counts, and a heuristic grows with it', () => {
  const hourOld = confirm(kept(cc('max-age=600')), { Date: formatHttpDate(LATER - 3_600_000) }, LATER);
  expect(seen(hourOld, LATER + 1000)).toBe('ask c');
  const heuristic = kept({ ...LM, Date: date(0) });
  const confirmed = confirm(heuristic, { Date: date(10 * DAY) }, NOW + 10 * DAY * 1000);
  expect(freshnessOf(heuristic).lifetime).toBe(DAY);
  expect(freshnessOf(confirmed).lifetime).toBe(2 * DAY);
});

test('C5, C6 a stale copy within its grace', () => {
  const swr = kept(cc('max-age=600, stale-while-revalidate=600'));
  expect(seen(swr, LATER, true)).toBe('grace');
  expect(seen(swr, LATER)).toBe('ask c');
  expect(seen(swr, NOW + 1_300_000, true)).toBe('ask c');
  expect(seen(kept(cc('max-age=600, stale-while-revalidate=600, must-revalidate')), LATER, true)).toBe(
    'ask c',
  );
  expect(seen(kept(cc('no-cache, stale-while-revalidate=600')), SECOND_LATER, true)).toBe('ask c');
  expect(seen(kept(cc('stale-while-revalidate=600')), SECOND_LATER, true)).toBe('grace');
});

test.each([
  ['max-age=0, stale-while-revalidate=86400', false, 86_400],
  ['max-age=60, stale-while-revalidate=40', false, 100],
  // Nobody is shown an old page while it is asked for.
  ['max-age=60, stale-while-revalidate=40', true, 60],
  ['no-cache, stale-while-revalidate=40', false, 0],
  ['max-age=60, must-revalidate, stale-while-revalidate=40', false, 60],
])('a copy under %s (a document: %s) is shown for %s seconds', (value, isDocument, seconds) => {
  expect(shownFor(cc(value), NOW, isDocument)).toBe(seconds);
});
