/** The objects of a release as its ledger has them. */
import type { StoredObject } from '../../core/site/site-object.js';

/** An object with what the store itself calls its bytes. */
export interface LedgerRow extends StoredObject {
  /** The store's ETag. */
  readonly tag: string;
  /** How many segments it lies in; absent where it lies in one piece. */
  readonly parts?: number;
}

/** In key order. */
export type Rows = Pick<ReadonlyMap<string, LedgerRow>, 'get' | 'has' | 'size'> & {
  keys(): Iterable<string>;
  values(): IterableIterator<LedgerRow>;
} & Iterable<[string, LedgerRow]>;
