/** What a month costs by a card. */
import { add, compareExact, formatUnits, shareUnits, subtract, times, ZERO, type Exact } from './exact.js';
import { PARTS, type Part, type Rate, type RateCard, type Usage } from './rate-card.js';

export interface CostPart {
  readonly part: Part | 'minimum';
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
    const rate = card.rates[part];
    return rate ? [{ part, units: usage[part], amount: costOfUnits(rate, usage[part], month) }] : [];
  });
  const used = parts.reduce((sum, { amount }) => add(sum, amount), ZERO);
  const missing = subtract(card.minimum, used);
  if (compareExact(missing, ZERO) <= 0) return { month, parts, sum: used };
  return { month, parts: [...parts, { part: 'minimum', units: 0n, amount: missing }], sum: card.minimum };
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
