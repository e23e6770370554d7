/** Beside a front that is played second by second. */
import { expect, it } from 'vitest';
import fc from 'fast-check';
import { behindFront, countReaching, type FrontAsked } from './front-traffic.js';
import { MONTH_SECONDS } from './traffic.js';

/** Requests one after the other, each at its moment of the month. */
function play(requests: number, fresh: number): number {
  let [reached, until] = [0, -1];
  for (let n = 0; n < requests; n++) {
    const at = (n * MONTH_SECONDS) / requests;
    if (at < until) continue;
    reached++;
    until = at + fresh;
  }
  return reached;
}

it('as many reach the bucket as where each is played', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 3000 }),
      fc.integer({ min: 0, max: 4_000_000 }),
      (requests, fresh) => {
        // Moments that are no whole fraction of the month fall on either side.
        expect(
          Math.abs(Number(countReaching(BigInt(requests), fresh)) - play(requests, fresh)),
        ).toBeLessThanOrEqual(fresh === 0 ? 0 : 1);
      },
    ),
    { seed: 4, numRuns: 400 },
  );
});

const ASKED: FrontAsked = {
  requests: 1000n,
  confirmed: 600n,
  bytes: 90_000n,
  isMissing: false,
  whole: 200,
  head: 50,
  fresh: MONTH_SECONDS / 10,
  isConfirmable: true,
};

it.each<[string, Partial<FrontAsked>, object]>([
  ['ten times a month', {}, { read: 10n, confirmed: 9n, transfer: 200n + 9n * 50n, frontStorage: 200n }],
  ['without a tag', { isConfirmable: false }, { read: 10n, confirmed: 0n, transfer: 2000n }],
  ['for good', { fresh: Infinity }, { read: 1n, confirmed: 0n, transfer: 200n }],
  [
    'never kept',
    { fresh: undefined },
    { read: 1000n, confirmed: 600n, transfer: 90_000n, frontStorage: 0n, frontRequests: 1000n },
  ],
  ['what is not there', { isMissing: true }, { missing: 10n }],
  ['by nobody', { requests: 0n, confirmed: 0n, bytes: 0n }, { read: 0n, transfer: 0n, frontStorage: 0n }],
])('%s', (_, more, expected) => {
  expect(behindFront([{ ...ASKED, ...more }])).toMatchObject(expected);
});
