import { expect, it } from 'vitest';
import fc from 'fast-check';
import { LogSpans } from './log-span.js';

const HOUR = 3_600_000;
const NOON = Date.UTC(2026, 9, 10, 12);
const spanOf = (times: readonly number[]): ReturnType<LogSpans['result']> => {
  const spans = new LogSpans();
  for (const at of times) spans.note(at);
  return spans.result();
};

it('is from the earliest to the latest line, in whatever order they come', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 4e12 }), { minLength: 1 }), (times) => {
      const { from, to } = spanOf(times) ?? {};
      expect([from, to]).toEqual([Math.min(...times), Math.max(...times)]);
    }),
  );
});

it.each([
  ['no time', [NaN, NaN], undefined],
  ['one moment', [NOON, NaN, NOON], { from: NOON, to: NOON, stepsBack: 0, gaps: [] }],
  ['a line that was late', [NOON, NOON - 60_000], { stepsBack: 0 }],
  ['the newer log before the older one', [NOON, NOON + HOUR, NOON - 9 * HOUR, NOON], { stepsBack: 1 }],
  ['a night', [NOON, NOON + 20 * HOUR], { gaps: [] }],
  ['two days without anybody', [NOON, NOON + 49 * HOUR], { gaps: [{ from: NOON + HOUR, hours: 48 }] }],
])('%s', (_, times, expected) => {
  const span = spanOf(times);
  if (expected === undefined) expect(span).toBeUndefined();
  else expect(span).toMatchObject(expected);
});
