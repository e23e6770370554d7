/** The rows of the embedded store: buckets, current objects, undo rows, releases and where bodies lie. */
import { chmodSync } from 'node:fs';
import { open, type Database, type RootDatabase } from 'lmdb';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { ObjectHeaders, StoredObject } from '../../core/site/site-object.js';
import type { BucketState } from '../port.js';
import { OWN_FILE } from './layout.js';

export interface ObjectRow {
  readonly digest: string;
  readonly size: number;
  readonly since: number;
  readonly headers: ObjectHeaders;
}

/** A body in a pack file; large bodies are files named by their digest and need no offset. */
export type BodyPlace = readonly [pack: string, offset: number, length: number] | readonly [large: 'large'];

/** Somebody who publishes: a process, where it runs, and since when in milliseconds since the epoch. */
export interface PublisherNote {
  readonly pid: number;
  readonly at: number;
  readonly host?: string;
}

export interface Rows {
  readonly root: RootDatabase;
  readonly buckets: Database<BucketState, string>;
  /** [bucket, key] */
  readonly current: Database<ObjectRow, [string, string]>;
  /** [bucket, release, key]: the row before that release; null when there was none. */
  readonly undo: Database<ObjectRow | null, [string, number, string]>;
  /** [bucket, release] */
  readonly releases: Database<ReleaseRecord, [string, number]>;
  /** Digest to place. */
  readonly bodies: Database<BodyPlace, string>;
  /** Publishers at work, by an id of their own. */
  readonly publishing: Database<PublisherNote, string>;
  /** Files that nothing needs any more, relative to the store, and since when. */
  readonly doomed: Database<number, string>;
}

// Sparse and only an upper bound: a generous map keeps LMDB from remapping while it grows.
const MAP_SIZE = 64 * 2 ** 30;

export function openRows(path: string, readOnly = false): Rows {
  const root = open({
    path,
    noSubdir: true,
    maxDbs: 8,
    mapSize: MAP_SIZE,
    // A commit is on disk before it returns, so "published" is never said too early.
    overlappingSync: false,
    readOnly,
  });
  try {
    // The database makes its files for everyone, and what lies in them is not for everyone.
    for (const file of [path, `${path}-lock`]) if (!readOnly) chmodSync(file, OWN_FILE);
  } catch {
    // Somebody else's store, whose permissions are theirs to give.
  }
  return {
    root,
    buckets: root.openDB({ name: 'buckets' }),
    current: root.openDB({ name: 'current' }),
    undo: root.openDB({ name: 'undo' }),
    releases: root.openDB({ name: 'releases' }),
    bodies: root.openDB({ name: 'bodies' }),
    publishing: root.openDB({ name: 'publishing' }),
    doomed: root.openDB({ name: 'doomed' }),
  };
}

/** The range of a bucket's objects. No sign of a bucket's name sorts before the one at the end. */
export const objectsOf = (bucket: string): { start: [string, string]; end: [string, string] } => ({
  start: [bucket, ''],
  end: [`${bucket}!`, ''],
});

/** The range of what some releases of a bucket changed, both included. */
export const undoOf = (
  bucket: string,
  first: number,
  last: number,
): { start: [string, number, string]; end: [string, number, string] } => ({
  start: [bucket, first, ''],
  end: [bucket, last + 1, ''],
});

/** The range of a bucket's releases, both included. */
export const releasesOf = (
  bucket: string,
  first: number,
  last: number,
): { start: [string, number]; end: [string, number] } => ({
  start: [bucket, first],
  end: [bucket, last + 1],
});

export const LAST_RELEASE = Number.MAX_SAFE_INTEGER - 1;

export const withKey = (key: string, { digest, size, since, headers }: ObjectRow): StoredObject => ({
  key,
  digest,
  size,
  since,
  headers,
});

/** Removes a bucket with its objects and releases. Inside a write transaction. */
export function removeRows({ buckets, current, undo, releases }: Rows, bucket: string): void {
  for (const key of [...current.getKeys(objectsOf(bucket))]) current.removeSync(key);
  for (const key of [...undo.getKeys(undoOf(bucket, 0, LAST_RELEASE))]) undo.removeSync(key);
  for (const key of [...releases.getKeys(releasesOf(bucket, 0, LAST_RELEASE))]) releases.removeSync(key);
  buckets.removeSync(bucket);
}
