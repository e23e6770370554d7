import { expect, it } from 'vitest';
import fc from 'fast-check';
import { formatUnits, parseExact, shareUnits, toUnits, ZERO, type Exact } from './exact.js';
import { costOfMonth, costOfUnits, costOfYear, monthsFree, roundCost } from './month-cost.js';
import type { Rate, RateCard } from './rate-card.js';
import { makeCard, makeRate, makeUsage } from '../../../test/helpers/rates.js';

const exact = (text: string): Exact => parseExact(text) ?? ZERO;
const GB = 10n ** 9n;
const rate = (prices: readonly (readonly [string, bigint?])[], more: Partial<Rate> = {}): Rate =>
  makeRate({
    per: GB,
    tiers: prices.map(([price, amount]) => ({
      price: exact(price),
      ...(amount === undefined ? {} : { amount }),
    })),
    ...more,
  });
const CARD = makeCard({
  rates: {
    storage: rate([['0.023', 50n * GB], ['0.022']], { free: 5n * GB, freeMonths: 12 }),
    read: rate([['0.004']], { per: 10_000n }),
    write: rate([['0.05']], { per: 10_000n, free: 2000n }),
    transfer: rate([['0.09', 10n * GB], ['0.085', 40n * GB], ['0.07']], { free: 1n * GB }),
  },
});
const usage = makeUsage;

/** Worked by hand. */
it.each([
  ['nothing at all', {}, 1, '0.00'],
  // 5 GB are free in the first year: 0 × 0.023.
  ['storage that is free', { storage: 5n * GB }, 1, '0.00'],
  // One byte more costs 0.000000000023.
  ['a byte more than is free', { storage: 5n * GB + 1n }, 12, '0.00'],
  // 5 × 0.023 = 0.115, half up.
  ['the month after the free ones', { storage: 5n * GB }, 13, '0.12'],
  // 50 × 0.023 = 1.15
  ['just the first tier', { storage: 50n * GB }, 13, '1.15'],
  // 1.15 + 50 × 0.022 = 2.25
  ['twice as much', { storage: 100n * GB }, 13, '2.25'],
  // (100 - 5): 50 × 0.023 + 45 × 0.022 = 1.15 + 0.99
  ['what is free fills no tier', { storage: 100n * GB }, 1, '2.14'],
  // 10 000 × 0.004 / 10 000
  ['ten thousand reads', { read: 10_000n }, 1, '0.00'],
  // 12 500 reads are half a cent
  ['half a cent', { read: 12_500n }, 1, '0.01'],
  ['a million reads', { read: 1_000_000n }, 1, '0.40'],
  ['writes that are free', { write: 2000n }, 40, '0.00'],
  // 98 000 × 0.05 / 10 000 = 0.49
  ['writes beyond', { write: 100_000n }, 40, '0.49'],
  // 1 free, 10 × 0.09 = 0.9, 40 × 0.085 = 3.4
  ['transfer to the end of a tier', { transfer: 51n * GB }, 1, '4.30'],
  // + 49 × 0.07 = 3.43
  ['transfer into the last', { transfer: 100n * GB }, 1, '7.73'],
  // Ten million visitors, 30 requests and 1.5 MB each: reads 120.00; 14 999: 0.9 + 3.4 + 14 949 × 0.07 = 1046.43
  ['ten million visitors', { read: 300_000_000n, transfer: 15_000n * GB }, 1, '1170.73'],
  // One: 30 × 0.0000004 = 0.000012
  ['one visitor', { read: 30n, transfer: 1_500_000n }, 1, '0.00'],
] as const)('%s', (_what, used, month, sum) => {
  expect(roundCost(costOfMonth(CARD, usage(used), month), CARD).sum).toBe(sum);
});

it('a month costs the least that the card says, and a year is twelve months as they are paid', () => {
  const card = { ...CARD, minimum: exact('1.5') };
  const cost = roundCost(costOfMonth(card, usage({ read: 1_000_000n }), 1), card);
  expect([cost.sum, cost.parts.at(-1)]).toEqual(['1.50', { part: 'minimum', amount: '1.10', units: 0n }]);
  expect([costOfYear(CARD, usage({ storage: 5n * GB })), monthsFree(CARD)]).toEqual(['0.00', 12]);
  // 12 × 0.12 is more than 12 × 0.115.
  const later = { ...CARD, rates: { storage: rate([['0.023']]) } };
  expect(costOfYear(later, usage({ storage: 5n * GB }))).toBe('1.44');
});

it('what was begun counts whole where the card says so', () => {
  const begun = rate([['0.1']], { wholeUnits: true });
  const amounts = [0n, 1n, GB, GB + 1n].map((units) =>
    formatUnits(toUnits(costOfUnits(begun, units, 1), 2, 'up'), 2),
  );
  expect(amounts).toEqual(['0.00', '0.10', '0.10', '0.20']);
});

const per = (price: string, units = 1n): Rate => makeRate({ per: units, tiers: [{ price: exact(price) }] });

/** Worked by hand. */
it.each<[string, Partial<RateCard>, Parameters<typeof makeUsage>[0], string]>([
  // 1000 - 400 - 100 at 0.01, 400 at 0.001, 100 at 0.002: 5 + 0.4 + 0.2
  [
    '304 and 404 have prices of their own',
    { rates: { read: per('0.01'), confirmed: per('0.001'), missing: per('0.002') } },
    { read: 1000n, confirmed: 400n, missing: 100n },
    '5.60',
  ],
  [
    'they are reads where they have none',
    { rates: { read: per('0.01') } },
    { read: 1000n, confirmed: 400n },
    '10.00',
  ],
  // 10 × 1.2
  ['tax comes on top of the minimum', { minimum: exact('10'), tax: exact('0.2') }, {}, '12.00'],
  // 0.5 × 100 + 3 + 2 × 0.25 + 4
  [
    'a front has prices of its own',
    {
      rates: { frontStorage: per('0.5'), frontRequests: per('0.25'), frontTransfer: per('1') },
      frontFixed: exact('4'),
    },
    { hasFront: true, frontStorage: 100n, frontRequests: 2n, frontTransfer: 3n },
    '57.50',
  ],
  [
    'a front that is not there costs nothing',
    { rates: { read: per('1'), frontRequests: per('0.25') }, frontFixed: exact('4') },
    { read: 2n },
    '2.00',
  ],
  // A twelfth of a year is 30 and five twelfths of a day: 6 bytes for 15 of 30 days are 6 × 15 × 86400 / 2628000, so 3.
  [
    'what is taken away early is paid to the end',
    { rates: { storage: per('1') }, leastStorage: 30n * 86_400n },
    {
      storage: 10n,
      left: [
        { bytes: 6n, seconds: 15n * 86_400n },
        { bytes: 100n, seconds: 30n * 86_400n },
      ],
    },
    '13.00',
  ],
])('%s', (_, card, used, sum) => {
  expect(roundCost(costOfMonth(makeCard(card), makeUsage(used), 1), makeCard(card)).sum).toBe(sum);
});

it.each([
  ['4e-7', 4n, 10_000_000n],
  ['0.0000004', 4n, 10_000_000n],
  ['1.5E+2', 1500n, 10n],
  ['00.1', 1n, 10n],
])('%s is read as it is written', (text, n, d) => {
  const read = exact(text);
  expect(read.n * d).toBe(n * read.d);
});

it.each(['', '-1', '.5', '1.', '1e', '1e999', '0x10', '1_000', 'NaN', '1,5'])('"%s" is no price', (text) => {
  expect(parseExact(text)).toBeUndefined();
});

it.each([
  ['0.005', 'half-up', '0.01'],
  ['0.005', 'half-even', '0.00'],
  ['0.015', 'half-even', '0.02'],
  ['0.0149', 'half-up', '0.01'],
  ['0.0101', 'up', '0.02'],
  ['0.0199', 'down', '0.01'],
] as const)('%s rounded %s is %s', (amount, rounding, rounded) => {
  expect(formatUnits(toUnits(exact(amount), 2, rounding), 2)).toBe(rounded);
});

const money = fc.bigInt({ min: 0n, max: 10n ** 9n }).map((n): Exact => ({ n, d: 10n ** 7n }));
const anyRate = fc.record({
  per: fc.constantFrom(1n, 1000n, 10_000n, GB),
  tiers: fc
    .array(fc.record({ price: money, amount: fc.bigInt({ min: 0n, max: 10n ** 12n }) }), { maxLength: 3 })
    .chain((tiers) => money.map((price) => [...tiers, { price }])),
  free: fc.bigInt({ min: 0n, max: 10n ** 10n }),
  freeMonths: fc.constantFrom(0, 3, Infinity),
  wholeUnits: fc.boolean(),
});

it('more never costs less, the parts are the sum, and no order of adding matters', () => {
  fc.assert(
    fc.property(
      anyRate,
      fc.bigInt({ min: 0n, max: 10n ** 13n }),
      fc.bigInt({ min: 0n, max: 10n ** 12n }),
      fc.integer({ min: 1, max: 30 }),
      (one, units, more, month) => {
        const less = costOfUnits(one, units, month);
        const greater = costOfUnits(one, units + more, month);
        expect(greater.n * less.d >= less.n * greater.d).toBe(true);
        const card: RateCard = { ...CARD, rates: { storage: one, read: one, transfer: one } };
        const { parts, sum } = roundCost(
          costOfMonth(card, usage({ storage: units, read: more, transfer: units }), month),
          card,
        );
        const cents = (text: string): bigint => BigInt(text.replace('.', ''));
        expect(parts.reduce((all, { amount }) => all + cents(amount), 0n)).toBe(cents(sum));
      },
    ),
    { seed: 9, numRuns: 500 },
  );
  fc.assert(
    fc.property(fc.array(money, { minLength: 1, maxLength: 6 }), (amounts) => {
      const forwards = shareUnits(amounts, 2, 'half-even').reduce((a, b) => a + b);
      const backwards = shareUnits([...amounts].reverse(), 2, 'half-even').reduce((a, b) => a + b);
      expect(forwards).toBe(backwards);
    }),
    { seed: 10 },
  );
});
