/** The rows of the embedded store: buckets, current objects, undo rows, releases and where bodies lie. */
import { chmodSync } from 'node:fs';
import type { RootDatabase } from 'lmdb';
import { open } from './libraries.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { BucketState } from '../port.js';
import { OWN_FILE } from './layout.js';
import { Labels } from './labels.js';
import type { ObjectRow } from './object-row.js';
import { TABLE_NAMES } from './table-names.js';
import { Table, type RowCodec, type RowKey } from './table.js';

/** Where a body lies, and how many rows of objects name it: current ones and undo rows, of every bucket. */
export interface BodyPlace {
  /** Undefined where it is a file of its own, named by its digest. */
  readonly pack: string | undefined;
  /** In the pack. */
  readonly offset: number;
  /** In the pack. */
  readonly length: number;
  readonly uses: number;
}

/** A pack's file name is never this. */
const LARGE = 'large';

/** As it is kept: formats before the third have no uses. */
export const PLACE_CODEC: RowCodec<BodyPlace> = {
  pack: ({ pack, offset, length, uses }) =>
    pack === undefined ? [LARGE, uses] : [pack, offset, length, uses],
  unpack: (packed) => {
    const [pack, ...numbers] = packed as [string, ...number[]];
    if (pack === LARGE) return { pack: undefined, offset: 0, length: 0, uses: numbers[0] ?? 0 };
    return { pack, offset: numbers[0] ?? 0, length: numbers[1] ?? 0, uses: numbers[2] ?? 0 };
  },
};

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
  /** Whether `uses` of every body is right. */
  readonly counted?: true;
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
  /** Digests of bodies that are in use no more, until they are swept. */
  readonly unused: Table<1, string>;
  /** A pack's name to the bytes of it that the index leads to. */
  readonly live: Table<number, string>;
  /** [pack, offset of its first body]: the digests, 32 bytes each, that were written there one after the other. */
  readonly packed: Table<Buffer, [string, number]>;
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
    bodies: table(TABLE_NAMES.bodies, PLACE_CODEC),
    unused: table(TABLE_NAMES.unused),
    live: table(TABLE_NAMES.live),
    packed: table(TABLE_NAMES.packed),
    blocks: table(TABLE_NAMES.blocks),
    damaged: table(TABLE_NAMES.damaged),
    publishing: table(TABLE_NAMES.publishing),
    doomed: table(TABLE_NAMES.doomed),
  };
}

/** The range of a bucket's objects. No character of a bucket's name sorts before the one at the end. */
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
