/** One release of a bucket, held by a read transaction of its own: whatever is published meanwhile, it stays. */
import type { Transaction } from 'lmdb';
import type { StoredObject } from '../../core/site/site-object.js';
import type { BucketState, ByteRange, Pieces, Snapshot } from '../port.js';
import { listRows, rowsBack } from './history.js';
import type { Layout } from './layout.js';
import { readBody } from './open-body.js';
import { withKey, type ObjectRow } from './object-row.js';
import { type Rows } from './rows.js';

/** No published key is longer, and LMDB refuses longer ones. Bytes. */
export const MAX_KEY = 1024;

/** What was there before the first release. */
async function* nothing(): AsyncGenerator<StoredObject> {
  // None.
}

export class EmbeddedSnapshot implements Snapshot {
  readonly state: BucketState;
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #transaction: Transaction;
  readonly #back: ReadonlyMap<string, ObjectRow | null>;
  #open = true;

  /** @param transaction is let go of when the snapshot is closed @param head the release that the rows hold now */
  constructor(layout: Layout, rows: Rows, transaction: Transaction, state: BucketState, head: number) {
    this.#layout = layout;
    this.#rows = rows;
    this.#transaction = transaction;
    this.state = state;
    this.#back =
      state.release === head || state.release === 0
        ? new Map()
        : rowsBack(rows, state.name, head, state.release, transaction);
  }

  objects(): AsyncIterable<StoredObject> {
    if (this.state.release === 0) return nothing();
    return listRows(this.#rows, this.state.name, this.#back, this.#transaction);
  }

  async find(key: string): Promise<StoredObject | undefined> {
    if (key.length > MAX_KEY || this.state.release === 0) return undefined;
    const back = this.#back.get(key);
    const row = back === undefined ? this.#rows.current.get([this.state.name, key], this.#transaction) : back;
    return row ? withKey(key, row) : undefined;
  }

  async hasBelow(prefix: string, counts: (key: string) => boolean = () => true): Promise<boolean> {
    if (this.state.release === 0) return false;
    for (const [key, row] of this.#back) if (row && key.startsWith(prefix) && counts(key)) return true;
    return hasKeyBelow(
      this.#rows,
      this.state.name,
      prefix,
      this.#transaction,
      (key) => this.#back.get(key) !== null && counts(key),
    );
  }

  read(object: StoredObject, range?: ByteRange): Pieces {
    return readBody(this.#layout, this.#rows, object, range);
  }

  async close(): Promise<void> {
    if (this.#open) this.#transaction.done();
    this.#open = false;
  }
}

/** Whether the current release has a key that begins so. @param counts leaves out what another release has not */
export function hasKeyBelow(
  rows: Rows,
  bucket: string,
  prefix: string,
  transaction?: Transaction,
  counts: (key: string) => boolean = () => true,
  most = Infinity,
): boolean {
  if (prefix.length > MAX_KEY) return false;
  let looked = 0;
  for (const [of, key] of rows.current.keys({
    start: [bucket, prefix],
    ...(transaction ? { transaction } : {}),
  })) {
    if (of !== bucket || !key.startsWith(prefix)) return false;
    if (counts(key) || ++looked >= most) return true;
  }
  return false;
}
