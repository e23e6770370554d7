/** The objects of a release as its ledger has them. */
import type { ReleasePlan } from '../../core/release/release.js';
import { compareKeys } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';

/** An object with what the store itself calls its bytes. */
export interface LedgerRow extends StoredObject {
  /** The store's ETag. */
  readonly tag: string;
  /** How many segments it lies in; absent where it lies in one piece. */
  readonly parts?: number;
}

/** Without what only the ledger knows. */
export function plainRow({ tag, parts: _parts, ...object }: LedgerRow): StoredObject {
  return object.digest === '' && tag !== '' ? { ...object, md5: tag } : object;
}

/** In key order. */
export type Rows = Pick<ReadonlyMap<string, LedgerRow>, 'get' | 'has' | 'size'> & {
  keys(): Iterable<string>;
  values(): IterableIterator<LedgerRow>;
} & Iterable<[string, LedgerRow]>;

/** The rows with what was learned of objects that somebody else has put, and without what they have removed. */
export function withReal(rows: Rows, real: ReleasePlan['real']): Rows {
  if (!real) return rows;
  const all = new Map(rows);
  for (const { md5 = '', ...object } of real.learned) all.set(object.key, { ...object, tag: md5 });
  for (const key of real.unknown) {
    const row = all.get(key);
    if (row) all.set(key, { ...row, digest: '', tag: '' });
  }
  for (const key of real.gone) all.delete(key);
  return new Map([...all].sort(([a], [b]) => compareKeys(a, b)));
}
