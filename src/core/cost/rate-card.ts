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

/** What a card may have prices for, in the order in which it is shown, and what of it is counted. */
export const PART_UNITS = {
  storage: 'bytes',
  read: 'requests',
  confirmed: 'requests',
  missing: 'requests',
  write: 'requests',
  list: 'requests',
  transfer: 'bytes',
  frontStorage: 'bytes',
  frontRequests: 'requests',
  frontTransfer: 'bytes',
} as const;
export type Part = keyof typeof PART_UNITS;
export const PARTS = Object.keys(PART_UNITS) as readonly Part[];
export const isOfFront = (part: string): boolean => part.startsWith('front');

export interface RateCard {
  readonly name: string;
  readonly currency: string;
  /** Places that the sum is rounded to, once. */
  readonly decimals: number;
  readonly rounding: Rounding;
  /** When its prices were read, as it says. */
  readonly date: string | undefined;
  readonly rates: Readonly<Partial<Record<Part, Rate>>>;
  /** Seconds for which what is stored is paid at least. */
  readonly leastStorage: bigint;
  /** What the front costs each month, whatever it does. */
  readonly frontFixed: Exact;
  /** What a month costs at least, before tax. */
  readonly minimum: Exact;
  /** The part of the sum that comes on top. */
  readonly tax: Exact;
}

/** What a month takes: bytes held, requests, bytes sent. Of the reads some are told apart: they are counted in both. */
export type Usage = Readonly<Record<Part, bigint>> & {
  /** Whether a cache for everybody stands before the bucket: without one its prices are nobody's. */
  readonly hasFront?: boolean;
  /** Bytes that were taken away or replaced in the month, and how many seconds after they came. */
  readonly left?: readonly { readonly bytes: bigint; readonly seconds: bigint }[];
};

export const NO_USAGE: Readonly<Record<Part, bigint>> = Object.fromEntries(
  PARTS.map((part) => [part, 0n]),
) as Record<Part, bigint>;
