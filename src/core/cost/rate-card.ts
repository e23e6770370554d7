/** What a host charges, as data. */
import type { Exact, Rounding } from './exact.js';

export interface Tier {
  /** How much fits into it, bytes or requests; absent for the last, which takes the rest. */
  readonly amount?: bigint;
  /** For as much as the rate's `per`. */
  readonly price: Exact;
}

export interface Rate {
  /** Bytes or requests that a price is for. */
  readonly per: bigint;
  /** Filled in the order in which they stand, once what is free is used up. */
  readonly tiers: readonly Tier[];
  /** Bytes or requests of each month that cost nothing. */
  readonly free: bigint;
  /** In the first so many months; Infinity for good. */
  readonly freeMonths: number;
  /** Whether what was begun counts whole. */
  readonly wholeUnits: boolean;
}

export const PARTS = ['storage', 'read', 'write', 'list', 'transfer'] as const;
export type Part = (typeof PARTS)[number];

export interface RateCard {
  readonly name: string;
  readonly currency: string;
  /** Places that the sum is rounded to, once. */
  readonly decimals: number;
  readonly rounding: Rounding;
  /** When its prices were read, as it says. */
  readonly date: string | undefined;
  readonly rates: Readonly<Partial<Record<Part, Rate>>>;
  /** What a month costs at least. */
  readonly minimum: Exact;
}

/** What a month takes: bytes held, requests, bytes sent. */
export type Usage = Readonly<Record<Part, bigint>>;
