/** What visitors take in a month. */
import type { Usage } from './rate-card.js';

/** What one visit asks for. */
export interface VisitLoad {
  readonly requests: number;
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
): Pick<Usage, 'read' | 'transfer'> {
  const { first: news, again: olds } = splitVisitors(visitors);
  return {
    read: BigInt(news) * BigInt(first.requests) + BigInt(olds) * BigInt(again.requests),
    transfer: BigInt(news) * BigInt(first.bytes) + BigInt(olds) * BigInt(again.bytes),
  };
}

/** From a tenth to a hundred times as much, ten steps for each ten times. */
export const CURVE: readonly number[] = Array.from({ length: 31 }, (_, step) =>
  Number((10 ** (step / 10 - 1)).toFixed(3)),
);

/** So many times as much. */
export const timesTraffic = (
  { read, transfer }: Pick<Usage, 'read' | 'transfer'>,
  factor: number,
): Pick<Usage, 'read' | 'transfer'> => {
  const thousandths = BigInt(Math.round(factor * 1000));
  return { read: (read * thousandths) / 1000n, transfer: (transfer * thousandths) / 1000n };
};

/** Seconds in a month, a twelfth of a year of 365 days. */
export const MONTH_SECONDS = 2_628_000;

/** Counts of a span, for a month; rounded up. @param seconds of the span; 0 or less leaves them as they are */
export const perMonth = (count: bigint, seconds: number): bigint => {
  const span = BigInt(Math.round(seconds));
  return span <= 0n ? count : (count * BigInt(MONTH_SECONDS) + span - 1n) / span;
};
