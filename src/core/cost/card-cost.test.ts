/** Worked by hand: 100,000 reads at 0.004 for ten thousand, 2 GB sent at 0.10, of which the first year 1 GB is free. */
import { describe, expect, it } from 'vitest';
import { costByCard, type PathCount, type Traffic } from './card-cost.js';
import type { Rate } from './rate-card.js';
import { makeCard, makeRate, makeUsage } from '../../../test/helpers/rates.js';

const GB = 10n ** 9n;
const rate = (per: bigint, n: bigint, d: bigint, more: Partial<Rate> = {}): Rate =>
  makeRate({ per, tiers: [{ price: { n, d } }], ...more });
const CARD = makeCard({
  decimals: 4,
  rates: {
    read: rate(10_000n, 4n, 1000n),
    transfer: rate(GB, 1n, 10n, { free: GB, freeMonths: 12 }),
  },
});
const USAGE = makeUsage({ read: 100_000n, transfer: 2n * GB });
const TRAFFIC: Traffic = { usage: USAGE, rules: [], objects: new Map() };
const cost = (more: Partial<Traffic> = {}, card = CARD) => costByCard(card, USAGE, { ...TRAFFIC, ...more });

describe('a card', () => {
  it('says twelve months of traffic that grows', () => {
    const card = { ...CARD, rates: { read: rate(1n, 1n, 1000n) } };
    const { growing } = costByCard(card, USAGE, TRAFFIC, 100n);
    // 100, 110, 121, 133.1 …, and their sum by hand: 100 × (1.1^12 - 1) / 0.1
    expect(growing?.months.slice(0, 4)).toEqual(['100.0000', '110.0000', '121.0000', '133.1000']);
    expect(Number(growing?.year)).toBeCloseTo(2138.4284, 1);
  });

  it('costs the first month what is not free, and the month after those in which something is free all of it', () => {
    const { months, year } = cost();
    // 0.04 + 1 × 0.10, then 0.04 + 2 × 0.10.
    expect(months.map(({ month, sum }) => [month, sum])).toEqual([
      [1, '0.1400'],
      [13, '0.2400'],
    ]);
    // 12 × 0.14
    expect(year).toBe('1.6800');
    expect(cost({}, { ...CARD, rates: { read: rate(10_000n, 4n, 1000n) } }).months).toHaveLength(1);
  });

  it('says what a line saves, and what it costs where it does', () => {
    const twice = makeUsage({ read: 200_000n, transfer: 4n * GB });
    const half = makeUsage({ read: 50_000n, transfer: GB });
    const rules = [
      { line: 'line 3: *.jpg', usage: twice },
      { line: 'line 4: *.css', usage: half },
    ];
    expect(cost({ rules }).rules).toEqual([
      { line: 'line 3: *.jpg', saves: '0.2400' },
      { line: 'line 4: *.css', saves: '-0.1200' },
    ]);
    const { withoutHeaders, withAdvice } = cost({ withoutHeaders: twice, withAdvice: half });
    expect([withoutHeaders?.sum, withAdvice?.sum]).toEqual(['0.4800', '0.1200']);
  });

  it('grows with the traffic, and is itself where it is what it is', () => {
    const { curve } = cost();
    const amounts = curve.map(({ amount }) => Number(amount));
    expect(amounts).toEqual([...amounts].sort((a, b) => a - b));
    expect(curve.find(({ times }) => times === 1)?.amount).toBe('0.2400');
    expect([curve[0], curve.at(-1)]).toEqual([
      { times: 0.1, amount: '0.0240' },
      { times: 100, amount: '24.0000' },
    ]);
  });

  it('names what costs most: objects and the folders that they lie in, five at most', () => {
    const objects = new Map<string, PathCount>([
      ['/index.html', { requests: 20_000, bytes: 200_000_000 }],
      ['/a/y.css', { requests: 30_000, bytes: 300_000_000 }],
      ['/a/x.jpg', { requests: 50_000, bytes: 1_500_000_000 }],
    ]);
    // Half of 0.04 and three quarters of 0.20; the folder is the sum of what lies in it.
    expect(cost({ objects }).top.map(({ what, amount }) => [what, amount])).toEqual([
      ['/a/**', '0.2120'],
      ['/a/x.jpg', '0.1700'],
      ['/a/y.css', '0.0420'],
      ['/index.html', '0.0280'],
    ]);
    const many = new Map(Array.from({ length: 9 }, (_, at) => [`/${at}.txt`, { requests: 1, bytes: 1 }]));
    expect(cost({ objects: many }).top.map(({ what }) => what)).toEqual([
      '/0.txt',
      '/1.txt',
      '/2.txt',
      '/3.txt',
      '/4.txt',
    ]);
    expect(cost().top).toEqual([]);
  });
});
