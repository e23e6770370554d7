/** Earlier states of a bucket: the current rows, with those laid over them that the undo rows lead back to. */
import type { Transaction } from 'lmdb';
import { compareKeys } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Differences } from '../port.js';
import { withKey, type ObjectRow } from './object-row.js';
import { LAST_RELEASE, objectsOf, releasesOf, undoOf, type Rows } from './rows.js';
import type { KeyRange, RowKey, Table } from './table.js';

/** The rows in which an earlier release differs from the current one: null where it had no object of that key. */
export function rowsBack(
  rows: Rows,
  bucket: string,
  head: number,
  release: number,
  transaction: Transaction,
): Map<string, ObjectRow | null> {
  const back = new Map<string, ObjectRow | null>();
  for (let at = head; at > release; at--) {
    const range = { ...undoOf(bucket, at, at), transaction };
    for (const { key, value } of rows.undo.list(range)) back.set(key[2], value);
  }
  return back;
}

/**
 * The objects of two releases at every key that a release between them changed.
 * @param head the release that the rows hold now
 */
export function listDifferences(
  rows: Rows,
  bucket: string,
  head: number,
  { from, to }: { readonly from: number; readonly to: number },
  transaction: Transaction,
): Differences {
  const touched = rowsBack(rows, bucket, Math.max(from, to), Math.min(from, to), transaction);
  const keys = [...touched.keys()].sort(compareKeys);
  const stateOf = (release: number): StoredObject[] => {
    const back = rowsBack(rows, bucket, head, release, transaction);
    return keys.flatMap((key) => {
      const row = back.has(key) ? back.get(key) : rows.current.get([bucket, key], transaction);
      return row ? [withKey(key, row)] : [];
    });
  };
  return { from: stateOf(from), to: stateOf(to) };
}

/** The objects of a bucket in key order: the current rows with others laid over them. */
export async function* listRows(
  rows: Rows,
  bucket: string,
  back: ReadonlyMap<string, ObjectRow | null>,
  transaction: Transaction,
): AsyncGenerator<StoredObject> {
  const over = [...back].sort(([a], [b]) => compareKeys(a, b));
  let next = 0;
  for (const { key, value } of rows.current.list({ ...objectsOf(bucket), transaction })) {
    for (let each = over[next]; each && compareKeys(each[0], key[1]) < 0; each = over[++next])
      if (each[1]) yield withKey(each[0], each[1]);
    if (over[next]?.[0] !== key[1]) yield withKey(key[1], value);
  }
  for (let each = over[next]; each; each = over[++next]) if (each[1]) yield withKey(each[0], each[1]);
}

/** Forgets the releases beyond the newest `keep`, with the rows that lead back to them. Inside a write transaction. */
export function pruneReleases(
  rows: Rows,
  bucket: string,
  { head, keep }: { readonly head: number; readonly keep: number },
  drop: Drop,
): number {
  let pruned = 0;
  for (const key of [...rows.releases.keys(releasesOf(bucket, 0, head - keep))]) {
    const release = key[1];
    // To reach a release one undoes the ones after it, so its own undo rows lead to the one before.
    forget(rows.undo, undoOf(bucket, release, release + 1), drop);
    rows.releases.remove(key);
    pruned++;
  }
  return pruned;
}

/** Removes a bucket with its objects and releases. Inside a write transaction. */
export function removeRows(rows: Rows, bucket: string, drop: Drop): void {
  forget(rows.current, objectsOf(bucket), drop);
  forget(rows.undo, undoOf(bucket, 0, LAST_RELEASE), drop);
  for (const key of [...rows.releases.keys(releasesOf(bucket, 0, LAST_RELEASE))]) rows.releases.remove(key);
  rows.buckets.remove(bucket);
}

/** Rows that are gone through at a time: what is removed may be very many. */
const AT_ONCE = 1000;

/** Drops the use of the body that a row names. */
type Drop = (row: ObjectRow) => void;

function forget<K extends RowKey>(table: Table<ObjectRow | null, K>, range: KeyRange<K>, drop: Drop): void {
  for (;;) {
    const some = table.take(range, AT_ONCE);
    for (const { key, value } of some) {
      table.remove(key);
      if (value) drop(value);
    }
    if (some.length < AT_ONCE) return;
  }
}
