/**
 * A table of the database. Each row carries a checksum over its key and its value, so that what the disk has changed
 * is never taken for what was written.
 */
import { crc32 } from 'node:zlib';
import type { Database, RootDatabase, Transaction } from 'lmdb';
import { Packr } from 'msgpackr';
import { fromBufferKey, toBufferKey } from 'ordered-binary';
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

/** Checksum, then value. */
export function encodeRow(key: RowKey, value: unknown): Buffer {
  const packed = packr.pack(value);
  const row = Buffer.allocUnsafe(CHECKSUM + packed.length);
  packed.copy(row, CHECKSUM);
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

export class Table<V, K extends RowKey> {
  readonly name: string;
  readonly #path: string;
  readonly #rows: Database<Buffer, K>;

  constructor(root: RootDatabase, name: string, path: string) {
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
    this.#rows.putSync(key, encodeRow(key, value));
  }

  remove(key: K): void {
    this.#rows.removeSync(key);
  }

  /** In key order. @throws FenestraError STORE_DAMAGED */
  *list(range: KeyRange<K> = {}): Generator<{ readonly key: K; readonly value: V }> {
    for (const { key, value } of this.#rows.getRange(range)) yield { key, value: this.#decode(key, value) };
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
    return packr.unpack(row.subarray(CHECKSUM)) as V;
  }
}
