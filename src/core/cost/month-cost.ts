/** What a month costs by a card. */
import { add, compareExact, formatUnits, shareUnits, subtract, times, ZERO, type Exact } from './exact.js';
import { MONTH_SECONDS } from './traffic.js';
import { isOfFront, PARTS, type Part, type Rate, type RateCard, type Usage } from './rate-card.js';

export interface CostPart {
  readonly part: Part | 'frontFixed' | 'minimum' | 'tax';
  readonly units: bigint;
  readonly amount: Exact;
}

export interface MonthCost {
  /** From 1. */
  readonly month: number;
  readonly parts: readonly CostPart[];
  readonly sum: Exact;
}

/** @param month from 1 */
export function costOfUnits(rate: Rate, units: bigint, month: number): Exact {
  const { per, tiers, free, freeMonths, wholeUnits } = rate;
  let left = month <= freeMonths ? (units > free ? units - free : 0n) : units;
  if (wholeUnits) left = ((left + per - 1n) / per) * per;
  let sum = ZERO;
  for (const { amount, price } of tiers) {
    const taken = amount === undefined || left < amount ? left : amount;
    sum = add(sum, times(price, { n: taken, d: per }));
    left -= taken;
    if (left === 0n) break;
  }
  return sum;
}

export function costOfMonth(card: RateCard, usage: Usage, month: number): MonthCost {
  const parts: CostPart[] = PARTS.flatMap((part) => {
    const rate = isOfFront(part) && !usage.hasFront ? undefined : card.rates[part];
    const units = unitsOf(card, usage, part);
    return rate ? [{ part, units, amount: costOfUnits(rate, units, month) }] : [];
  });
  const put = (part: 'frontFixed' | 'minimum' | 'tax', amount: Exact): void => {
    if (compareExact(amount, ZERO) > 0) parts.push({ part, units: 0n, amount });
  };
  const sum = (): Exact => parts.reduce((all, { amount }) => add(all, amount), ZERO);
  if (usage.hasFront) put('frontFixed', card.frontFixed);
  put('minimum', subtract(card.minimum, sum()));
  put('tax', times(sum(), card.tax));
  return { month, parts, sum: sum() };
}

/** What a card charges for as some part: of the reads what it has no other price for. */
function unitsOf({ rates, leastStorage }: RateCard, usage: Usage, part: Part): bigint {
  if (part === 'read')
    return (['confirmed', 'missing'] as const).reduce(
      (left, kind) => (rates[kind] ? left - usage[kind] : left),
      usage.read,
    );
  return part === 'storage' ? usage.storage + storedTooShort(usage, leastStorage) : usage[part];
}

/** What was stored for a shorter time than is paid, as bytes of a whole month; rounded up. */
function storedTooShort({ left = [] }: Usage, least: bigint): bigint {
  const seconds = left.reduce(
    (sum, each) => (each.seconds < least ? sum + each.bytes * (least - each.seconds) : sum),
    0n,
  );
  return (seconds + BigInt(MONTH_SECONDS) - 1n) / BigInt(MONTH_SECONDS);
}

export interface RoundedCost {
  readonly month: number;
  readonly parts: readonly {
    readonly part: CostPart['part'];
    readonly amount: string;
    readonly units: bigint;
  }[];
  readonly sum: string;
}

/** As the card rounds, once; the parts are the sum. */
export function roundCost({ month, parts }: MonthCost, { decimals, rounding }: RateCard): RoundedCost {
  const units = shareUnits(
    parts.map(({ amount }) => amount),
    decimals,
    rounding,
  );
  return {
    month,
    parts: parts.map(({ part, units: used }, at) => ({
      part,
      amount: formatUnits(units[at] ?? 0n, decimals),
      units: used,
    })),
    sum: formatUnits(
      units.reduce((a, b) => a + b, 0n),
      decimals,
    ),
  };
}

/** Months after which nothing is free any more that was so for a while; at most a hundred years. */
export function monthsFree({ rates }: RateCard): number {
  return Math.max(
    0,
    ...PARTS.map((part) => rates[part]?.freeMonths ?? 0).filter((months) => Number.isFinite(months)),
  );
}

/** Twelve months from the first on, each rounded, as they are paid. */
export function costOfYear(card: RateCard, usage: Usage): string {
  let units = 0n;
  for (let month = 1; month <= 12; month++) {
    const { parts } = costOfMonth(card, usage, month);
    const shares = shareUnits(
      parts.map(({ amount }) => amount),
      card.decimals,
      card.rounding,
    );
    units += shares.reduce((a, b) => a + b, 0n);
  }
  return formatUnits(units, card.decimals);
}
