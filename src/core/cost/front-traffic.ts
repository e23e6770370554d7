/** What of a month's requests reaches the bucket where a cache for everybody stands before it. */
import { MONTH_SECONDS } from './traffic.js';
import type { CountedUsage } from './card-cost.js';

/** What is asked of the front, by one address: in a month. */
export interface FrontAsked {
  readonly requests: bigint;
  /** Of them, those to which a 304 is the answer. */
  readonly confirmed: bigint;
  /** Of all answers, heads included. */
  readonly bytes: bigint;
  readonly isMissing: boolean;
  /** Of a whole answer and of one that confirms it, heads included. */
  readonly whole: number;
  readonly head: number;
  /** Seconds for which the front answers by itself; undefined where it keeps nothing. */
  readonly fresh: number | undefined;
  readonly isConfirmable: boolean;
}

/**
 * Of requests that come at equal intervals, how many the front passes on: the first, and each that finds its copy stale.
 * @param fresh seconds; Infinity for good
 */
export function countReaching(requests: bigint, fresh: number): bigint {
  if (requests === 0n) return 0n;
  if (fresh === Infinity) return 1n;
  // So many come from one that is passed on up to the next one.
  const each = ceil(BigInt(Math.ceil(fresh)) * requests, BigInt(MONTH_SECONDS));
  return ceil(requests, each < 1n ? 1n : each);
}

const ceil = (n: bigint, d: bigint): bigint => (n + d - 1n) / d;

/** Adds up what the front sends and what it takes of the bucket. */
export function behindFront(asked: Iterable<FrontAsked>): CountedUsage {
  const usage = {
    ...{ read: 0n, confirmed: 0n, missing: 0n, transfer: 0n },
    ...{ frontRequests: 0n, frontTransfer: 0n, frontStorage: 0n },
  };
  for (const { requests, confirmed, bytes, isMissing, whole, head, fresh, isConfirmable } of asked) {
    usage.frontRequests += requests;
    usage.frontTransfer += bytes;
    const reaching = fresh === undefined ? requests : countReaching(requests, fresh);
    const isKept = fresh !== undefined && reaching > 0n;
    const again = isKept ? reaching - 1n : 0n;
    usage.read += reaching;
    usage.confirmed += isKept ? (isConfirmable ? again : 0n) : confirmed;
    if (isMissing) usage.missing += reaching;
    usage.transfer += isKept ? BigInt(whole) + again * BigInt(isConfirmable ? head : whole) : bytes;
    if (isKept) usage.frontStorage += BigInt(whole);
  }
  return usage;
}
