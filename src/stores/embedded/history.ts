/** Earlier states of a bucket: the current rows, walked backwards through the undo rows. */
import { compareKeys } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { AFTER, withKey, type ObjectRow, type Rows } from './rows.js';

/** The objects of a bucket as they were at a release that is still kept, in key order. */
export function objectsAt(rows: Rows, bucket: string, head: number, release: number): StoredObject[] {
  const state = new Map<string, ObjectRow>();
  for (const { key, value } of rows.current.getRange({ start: [bucket, ''], end: [bucket, AFTER] }))
    state.set(key[1], value);
  for (let at = head; at > release; at--) {
    for (const { key, value } of rows.undo.getRange({ start: [bucket, at, ''], end: [bucket, at, AFTER] })) {
      if (value === null) state.delete(key[2]);
      else state.set(key[2], value);
    }
  }
  return [...state].map(([key, row]) => withKey(key, row)).sort((a, b) => compareKeys(a.key, b.key));
}

/** Forgets the releases beyond the newest `keep`, with the rows that lead back to them. Inside a write transaction. */
export function pruneReleases(rows: Rows, bucket: string, head: number, keep: number): number {
  let pruned = 0;
  for (const key of [...rows.releases.getKeys({ start: [bucket, 0], end: [bucket, head - keep + 1] })]) {
    const release = key[1];
    // To reach a release one undoes the ones after it, so its own undo rows lead to the one before.
    for (const undo of [
      ...rows.undo.getKeys({ start: [bucket, release + 1, ''], end: [bucket, release + 1, AFTER] }),
    ])
      rows.undo.removeSync(undo);
    for (const undo of [
      ...rows.undo.getKeys({ start: [bucket, release, ''], end: [bucket, release, AFTER] }),
    ])
      rows.undo.removeSync(undo);
    rows.releases.removeSync(key);
    pruned++;
  }
  return pruned;
}
