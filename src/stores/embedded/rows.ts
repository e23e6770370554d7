/** The rows of the embedded store: buckets, current objects, undo rows, releases and where bodies lie. */
import { chmodSync } from 'node:fs';
import { open, type RootDatabase } from 'lmdb';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { BucketState } from '../port.js';
import { OWN_FILE } from './layout.js';
import { Labels } from './labels.js';
import type { ObjectRow } from './object-row.js';
import { TABLE_NAMES } from './table-names.js';
import { Table, type RowCodec, type RowKey } from './table.js';

/** A body in a pack file. */
export type PackedPlace = readonly [pack: string, offset: number, length: number];

/** Large bodies are files named by their digest and need no offset. */
export type BodyPlace = PackedPlace | readonly [large: 'large'];

/** Somebody who publishes: a process, where it runs, and since when in milliseconds since the epoch. */
export interface PublisherNote {
  readonly pid: number;
  readonly at: number;
  readonly host?: string;
}

/** What the store knows of itself, under one key. */
export interface StoreNote {
  /** The same as in the marker beside the database. */
  readonly id: string;
  /** The latest `since` that any object was given, in milliseconds since the epoch. */
  readonly latest: number;
}

export interface Rows {
  readonly root: RootDatabase;
  readonly note: Table<StoreNote, string>;
  readonly buckets: Table<BucketState, string>;
  /** [bucket, key] */
  readonly current: Table<ObjectRow, [string, string]>;
  /** [bucket, release, key]: the row before that release; null when there was none. */
  readonly undo: Table<ObjectRow | null, [string, number, string]>;
  /** [bucket, release] */
  readonly releases: Table<ReleaseRecord, [string, number]>;
  /** Digest to place. */
  readonly bodies: Table<BodyPlace, string>;
  /** Digest of a large body to the checksums of its blocks. */
  readonly blocks: Table<Buffer, string>;
  /** Digests of bodies that were found to be damaged, and when. */
  readonly damaged: Table<number, string>;
  /** Publishers at work, by an id of their own. */
  readonly publishing: Table<PublisherNote, string>;
  /** Files that nothing needs any more, relative to the store, and since when. */
  readonly doomed: Table<number, string>;
}

// Sparse and only an upper bound: a generous map keeps LMDB from remapping while it grows.
const MAP_SIZE = 64 * 2 ** 30;

export function openDatabase(path: string, readOnly = false): RootDatabase {
  const root = open({
    path,
    noSubdir: true,
    maxDbs: 32,
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
  return root;
}

export function openRows(root: RootDatabase, path: string): Rows {
  const table = <V, K extends RowKey>(name: string, codec?: RowCodec<V>): Table<V, K> =>
    new Table<V, K>(root, name, path, codec);
  const { codec } = new Labels(root, table(TABLE_NAMES.labels), path);
  return {
    root,
    note: table(TABLE_NAMES.note),
    buckets: table(TABLE_NAMES.buckets),
    current: table(TABLE_NAMES.current, codec as RowCodec<ObjectRow>),
    undo: table(TABLE_NAMES.undo, codec),
    releases: table(TABLE_NAMES.releases),
    bodies: table(TABLE_NAMES.bodies),
    blocks: table(TABLE_NAMES.blocks),
    damaged: table(TABLE_NAMES.damaged),
    publishing: table(TABLE_NAMES.publishing),
    doomed: table(TABLE_NAMES.doomed),
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

/** Removes a bucket with its objects and releases. Inside a write transaction. */
export function removeRows({ buckets, current, undo, releases }: Rows, bucket: string): void {
  for (const key of [...current.keys(objectsOf(bucket))]) current.remove(key);
  for (const key of [...undo.keys(undoOf(bucket, 0, LAST_RELEASE))]) undo.remove(key);
  for (const key of [...releases.keys(releasesOf(bucket, 0, LAST_RELEASE))]) releases.remove(key);
  buckets.remove(bucket);
}
