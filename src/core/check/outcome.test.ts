import { describe, expect, it, test } from 'vitest';
import type { Finding, Level } from '../findings/finding.js';
import type { Failure } from './compare-answer.js';
import { passes, shareByCaching, shareByType } from './outcome.js';

const finding = (level: Level): Finding => ({ rule: 'r', level, message: 'm', fix: 'f' });
const failure: Failure = {
  url: '/',
  about: 'object',
  aspect: 'type',
  expected: 'a',
  observed: 'b',
  cause: 'own-type',
};

test.each<[Level[], number, Level, boolean]>([
  [[], 0, 'error', true],
  [['note', 'warning'], 0, 'error', true],
  [['error'], 0, 'error', false],
  [['warning'], 0, 'warning', false],
  [['note'], 0, 'warning', true],
  [['note'], 0, 'note', false],
  [[], 1, 'error', false],
])('findings %j and %i wrong answers at --fail-on %s: passes %s', (levels, wrong, failOn, passed) => {
  const failures = Array.from({ length: wrong }, () => failure);
  expect(passes(levels.map(finding), [{ failures: [] }, { failures }], failOn)).toBe(passed);
});

describe('what is stored', () => {
  const object = (size: number, headers: Record<string, string>) => ({
    key: 'k',
    size,
    digest: '',
    since: 0,
    headers,
  });
  it('is shared by type, the largest first', () => {
    const objects = [
      object(1, { 'Content-Type': 'text/html; charset=utf-8' }),
      object(5, {}),
      object(2, { 'Content-Type': 'TEXT/HTML' }),
    ];
    expect(shareByType(objects)).toEqual([
      { name: 'no type', objects: 1, bytes: 5 },
      { name: 'text/html', objects: 2, bytes: 3 },
    ]);
  });
  test.each<[Record<string, string>, string]>([
    [{}, 'no cache header'],
    [{ 'Cache-Control': 'no-store' }, 'never kept'],
    [{ 'Cache-Control': 'no-cache' }, 'asked every time'],
    [{ 'Cache-Control': 'max-age=864000' }, '10 days'],
    [{ 'Cache-Control': 'max-age=31536000, immutable' }, '1 year, immutable'],
    [{ Expires: 'Thu, 24 Dec 2026 00:00:00 GMT' }, 'until a date'],
  ])('%j is %s', (headers, words) => {
    expect(shareByCaching([object(1, headers)], Date.UTC(2026, 10, 1))[0]?.name).toBe(words);
  });
});
