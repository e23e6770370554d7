/** What visitors take in a month. */
import type { Exact } from './exact.js';
import type { Usage } from './rate-card.js';

/** What one visit asks for. */
export interface VisitLoad {
  readonly requests: number;
  /** Of them, those that were answered with 304, and those of what is not there. */
  readonly confirmed: number;
  readonly missing: number;
  /** On the wire, heads included. */
  readonly bytes: number;
}

export interface Visitors {
  /** Visits in a month. */
  readonly visitors: number;
  /** Of them those that come back, in parts of a thousand. */
  readonly returning: number;
}

export const DEFAULT_VISITORS: Visitors = { visitors: 20_000, returning: 400 };

/** Visits of both kinds; nobody is left out. */
export function splitVisitors({ visitors, returning }: Visitors): {
  readonly first: number;
  readonly again: number;
} {
  const again = Math.floor((visitors * returning) / 1000);
  return { first: visitors - again, again };
}

export function trafficOf(
  visitors: Visitors,
  first: VisitLoad,
  again: VisitLoad,
): Pick<Usage, 'read' | 'confirmed' | 'missing' | 'transfer'> {
  const { first: news, again: olds } = splitVisitors(visitors);
  const both = (count: (load: VisitLoad) => number): bigint =>
    BigInt(news) * BigInt(count(first)) + BigInt(olds) * BigInt(count(again));
  return {
    read: both(({ requests }) => requests),
    confirmed: both(({ confirmed }) => confirmed),
    missing: both(({ missing }) => missing),
    transfer: both(({ bytes }) => bytes),
  };
}

/** From a tenth to a hundred times as much, ten steps for each ten times. */
export const CURVE: readonly number[] = Array.from({ length: 31 }, (_, step) =>
  Number((10 ** (step / 10 - 1)).toFixed(3)),
);

/** So many times as much, rounded down. */
export const timesUnits = (units: bigint, { n, d }: Exact): bigint => (units * n) / d;

/** Seconds in a month, a twelfth of a year of 365 days. */
export const MONTH_SECONDS = 2_628_000;

/** Counts of a span, for a month; rounded up. @param seconds of the span; 0 or less leaves them as they are */
export const perMonth = (count: bigint, seconds: number): bigint => {
  const span = BigInt(Math.round(seconds));
  return span <= 0n ? count : (count * BigInt(MONTH_SECONDS) + span - 1n) / span;
};
