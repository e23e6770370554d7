/**
 * The headers of objects, each set of them kept once: a large bucket has many objects and few different headers. What
 * names a set comes from its text, so that a name never means another set.
 */
import * as crypto from 'node:crypto';
import type { RootDatabase } from 'lmdb';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ObjectHeaders } from '../../core/site/site-object.js';
import type { ObjectRow } from './object-row.js';
import type { RowCodec, Table } from './table.js';

const NAME_BYTES = 6;

export class Labels {
  readonly #root: RootDatabase;
  readonly #table: Table<ObjectHeaders, string>;
  readonly #path: string;
  readonly #names = new WeakMap<ObjectHeaders, number>();
  readonly #headers = new Map<number, ObjectHeaders>();
  /** Those that the write transaction of this number has written or found. */
  #transaction = -1;
  readonly #written = new Set<number>();

  constructor(root: RootDatabase, table: Table<ObjectHeaders, string>, path: string) {
    this.#root = root;
    this.#table = table;
    this.#path = path;
  }

  /** How an object's row is kept, with its headers elsewhere. */
  readonly codec: RowCodec<ObjectRow | null> = {
    pack: (row) => {
      if (!row) return null;
      const { digest, size, since, headers, plain, neededUntil, waits } = row;
      const packed = [packDigest(digest), size, since, this.#keep(headers)];
      if (plain !== undefined || neededUntil !== undefined)
        packed.push(plain ?? '', neededUntil ?? 0, waits ? 1 : 0);
      return packed;
    },
    unpack: (packed) => {
      if (packed === null) return null;
      const [digest, size, since, name, plain = '', neededUntil = 0, waits = 0] = packed as [
        Buffer | string,
        number,
        number,
        number,
        string?,
        number?,
        number?,
      ];
      return {
        digest: typeof digest === 'string' ? digest : digest.toString('hex'),
        size,
        since,
        headers: this.#read(name),
        ...(plain === '' ? {} : { plain }),
        ...(neededUntil === 0 ? {} : { neededUntil }),
        ...(waits === 0 ? {} : { waits: true }),
      };
    },
  };

  /** Inside a write transaction. */
  #keep(headers: ObjectHeaders): number {
    let name = this.#names.get(headers);
    if (name === undefined) {
      name = crypto.createHash('sha256').update(JSON.stringify(headers)).digest().readUIntBE(0, NAME_BYTES);
      this.#names.set(headers, name);
    }
    const transaction = this.#root.getWriteTxnId();
    if (transaction !== this.#transaction) this.#written.clear();
    this.#transaction = transaction;
    if (this.#written.has(name)) return name;
    if (!this.#table.has(String(name))) this.#table.put(String(name), headers);
    this.#written.add(name);
    return name;
  }

  #read(name: number): ObjectHeaders {
    const known = this.#headers.get(name);
    if (known) return known;
    const headers = this.#table.get(String(name));
    if (!headers)
      throw new FenestraError('STORE_DAMAGED', { what: 'headers of its objects are gone', path: this.#path });
    this.#headers.set(name, headers);
    return headers;
  }
}

/** Half as long as its text, where it is a digest. */
function packDigest(digest: string): Buffer | string {
  const bytes = Buffer.from(digest, 'hex');
  return bytes.length * 2 === digest.length ? bytes : digest;
}
