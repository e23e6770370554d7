import fc from 'fast-check';
import { expect, test } from 'vitest';
import { formatDuration, parseDuration, roughDuration } from './duration.js';

test.each<[string, number]>([
  ['90 seconds', 90],
  ['1 minute', 60],
  ['2 hours', 7200],
  ['10 days', 864_000],
  ['1 week', 604_800],
  ['1 month', 2_592_000],
  ['1 Year', 31_536_000],
  ['0 seconds', 0],
  [' 1.5 hours ', 5400],
  ['5days', 432_000],
  ['1h', 3600],
  ['30d', 2_592_000],
  ['10 min', 600],
  ['3600s', 3600],
  ['1 h 30 min', 5400],
  ['1h30m', 5400],
  ['1 hour, 30 minutes', 5400],
  ['1 hour and 30 minutes', 5400],
  ['one week', 604_800],
  ['a day', 86_400],
  ['ten days', 864_000],
  ['2 mins', 120],
  ['0.1 hours', 360],
])('%s is %i seconds', (text, seconds) => {
  expect(parseDuration(text)).toEqual({ seconds });
});

test.each<[string, RegExp, string | undefined]>([
  ['many days', /is not a duration/, '10 days'],
  ['one', /is not a duration/, '10 days'],
  ['1 hour or so', /is not a duration/, '10 days'],
  ['1 hour 30', /has no unit/, '30 seconds'],
  ['', /is not a duration/, '10 days'],
  ['10', /has no unit/, '10 seconds'],
  ['10 dayz', /not a unit/, '10 days'],
  ['-1 day', /is negative/, '1 day'],
  ['0.3 seconds', /whole number/, undefined],
  ['99 years', /longer than caches/, '1 year'],
  ['3 constructor', /not a unit/, undefined],
  ['3 toString', /not a unit/, undefined],
])('%s is refused: %s', (text, fault, becomes) => {
  const result = parseDuration(text);
  expect('fault' in result ? result.fault : '').toMatch(fault);
  if (becomes !== undefined) expect(result).toMatchObject({ becomes });
});

test('what is written is read as the same', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 2_147_483_648 }),
      (seconds) => void expect(parseDuration(formatDuration(seconds))).toEqual({ seconds }),
    ),
  );
  expect([0, 60, 3600, 864_000, 31_536_000, 61].map(formatDuration)).toEqual([
    '0 seconds',
    '1 minute',
    '1 hour',
    '10 days',
    '1 year',
    '61 seconds',
  ]);
});

test.each([
  [349_765_159, 'about 11 years'],
  [864_000, '10 days'],
  [61, '61 seconds'],
  [90_061, 'about 25 hours'],
  [31_536_000, '1 year'],
])('%i seconds are %s where nobody counts', (seconds, words) => {
  expect(roughDuration(seconds)).toBe(words);
});
