/**
 * A table of the database. Each row carries a checksum over its key and its value, so that what the disk has changed
 * is never taken for what was written.
 */
import { crc32 } from 'node:zlib';
import type { Database, RootDatabase, Transaction } from 'lmdb';
import { fromBufferKey, Packr, REUSE_BUFFER_MODE, toBufferKey } from './libraries.js';
import { FenestraError } from '../../core/errors/catalogue.js';

export type RowKey = string | [string, string] | [string, number] | [string, number, string];

export interface KeyRange<K> {
  readonly start?: K;
  /** Not included. */
  readonly end?: K;
  readonly transaction?: Transaction;
}

const CHECKSUM = 4;
const packr = new Packr({ useRecords: false });

interface PackedAt {
  readonly start: number;
  readonly end: number;
}

/** Used for one row after the other: a large release makes hundreds of thousands. */
let scratch = Buffer.allocUnsafeSlow(4096);

/** Checksum, then value; good until the next row is encoded. */
function encodeRow(key: RowKey, value: unknown): Buffer {
  // In this mode it gives its own buffer, in which the value lies from `start` to `end`.
  const { start, end, buffer, byteOffset } = packr.pack(value, REUSE_BUFFER_MODE) as Buffer & PackedAt;
  const packed = new Uint8Array(buffer, byteOffset + start, end - start);
  if (CHECKSUM + packed.length > scratch.length)
    scratch = Buffer.allocUnsafeSlow(2 * (CHECKSUM + packed.length));
  const row = scratch.subarray(0, CHECKSUM + packed.length);
  row.set(packed, CHECKSUM);
  row.writeUInt32LE(checksumOf(toBufferKey(key), row), 0);
  return row;
}

/** Whether a row, as its key and value lie in the database, is as it was written. */
export const isRowWhole = (key: Uint8Array, row: Buffer): boolean =>
  row.length > CHECKSUM && row.readUInt32LE(0) === checksumOf(key, row);

const checksumOf = (key: Uint8Array, row: Buffer): number => crc32(row.subarray(CHECKSUM), crc32(key));

/** A row for messages: its table and its key. */
export function nameRow(table: string, key: Uint8Array): string {
  let parts: unknown;
  try {
    parts = fromBufferKey(Buffer.from(key));
  } catch {
    parts = Buffer.from(key).toString('latin1');
  }
  return `the row ${[parts].flat().map(String).join(' / ')} of the table ${table}`;
}

/** How values are laid out in rows. */
export interface RowCodec<V> {
  pack(value: V): unknown;
  unpack(packed: unknown): V;
}

export class Table<V, K extends RowKey> {
  readonly name: string;
  readonly #path: string;
  readonly #rows: Database<Buffer, K>;
  readonly #codec: RowCodec<V> | undefined;

  /** @param codec undefined where values are laid out as they are */
  constructor(root: RootDatabase, name: string, path: string, codec?: RowCodec<V>) {
    this.#codec = codec;
    this.name = name;
    this.#path = path;
    this.#rows = root.openDB<Buffer, K>({ name, encoding: 'binary' });
  }

  /** @throws FenestraError STORE_DAMAGED */
  get(key: K, transaction?: Transaction): V | undefined {
    const row = this.#rows.get(key, transaction ? { transaction } : {});
    return row && this.#decode(key, row);
  }

  /** The row as it lies there; the same as long as nobody writes it. */
  getRow(key: K): Buffer | undefined {
    return this.#rows.get(key);
  }

  has(key: K): boolean {
    return this.#rows.doesExist(key);
  }

  put(key: K, value: V): void {
    this.#rows.putSync(key, encodeRow(key, this.#codec ? this.#codec.pack(value) : value));
  }

  remove(key: K): void {
    this.#rows.removeSync(key);
  }

  /** In key order. @throws FenestraError STORE_DAMAGED */
  *list(range: KeyRange<K> = {}): Generator<{ readonly key: K; readonly value: V }> {
    for (const { key, value } of this.#rows.getRange(range)) yield { key, value: this.#decode(key, value) };
  }

  /** The first rows of a range. @throws FenestraError STORE_DAMAGED */
  take(range: KeyRange<K>, most: number): { readonly key: K; readonly value: V }[] {
    const some: { key: K; value: V }[] = [];
    for (const { key, value } of this.#rows.getRange({ ...range, limit: most }))
      some.push({ key, value: this.#decode(key, value) });
    return some;
  }

  *keys(range: KeyRange<K> = {}): Generator<K> {
    yield* this.#rows.getKeys(range);
  }

  count(): number {
    return this.#rows.getCount();
  }

  #decode(key: K, row: Buffer): V {
    const raw = toBufferKey(key);
    if (!isRowWhole(raw, row))
      throw new FenestraError('STORE_DAMAGED', {
        what: `${nameRow(this.name, raw)} is not as it was written`,
        path: this.#path,
      });
    const value: unknown = packr.unpack(row.subarray(CHECKSUM));
    return this.#codec ? this.#codec.unpack(value) : (value as V);
  }
}
