/** One release of a bucket, by its ledger: what else lies in the bucket is no part of it. */
import { createHash } from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ForeignChange } from '../../core/release/foreign.js';
import type { SiteObject, StoredObject } from '../../core/site/site-object.js';
import type { SettingDrift } from '../../core/release/setting-drift.js';
import type { BucketState, ByteRange, Looks, Pieces, Snapshot } from '../port.js';
import { listDrift } from './container.js';
import { listWrongCopies } from './document-copies.js';
import { TooSlow } from './exchange.js';
import { unquoted, type SwiftClient } from './client.js';
import { listForeign } from './foreign.js';
import { plainRow, type Rows } from './rows.js';
import { bodyName, ledgerOf, objectPath } from './names.js';
import type { WebNames } from './web-names.js';

export interface SnapshotInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly state: BucketState;
  readonly rows: Rows;
  /** Whether something that is in no release is there because of Fenestra; of a bucket of somebody else nothing is. */
  readonly isOwn?: (name: string) => boolean;
  /** When the release was complete, by the store's own clock: milliseconds since the epoch. */
  readonly completeAt?: number;
  /** The names of documents, where the container has been set to any. */
  readonly web?: { readonly plain: WebNames; readonly now: WebNames };
}

export class SwiftSnapshot implements Snapshot {
  readonly state: BucketState;
  readonly #input: SnapshotInput;
  readonly #client: SwiftClient;
  readonly #bucket: string;
  readonly #rows: Rows;

  constructor(input: SnapshotInput) {
    this.#input = input;
    this.#client = input.client;
    this.#bucket = input.bucket;
    this.state = input.state;
    this.#rows = input.rows;
  }

  async *objects(): AsyncGenerator<StoredObject> {
    for (const row of this.#rows.values()) yield plainRow(row);
  }

  async find(key: string): Promise<StoredObject | undefined> {
    const row = this.#rows.get(key);
    return row && plainRow(row);
  }

  async hasBelow(prefix: string, counts?: (key: string) => boolean): Promise<boolean> {
    for (const key of this.#rows.keys()) if (key.startsWith(prefix) && counts?.(key) !== false) return true;
    return false;
  }

  read(object: StoredObject, range?: ByteRange): Pieces {
    const row = this.#rows.get(object.key);
    const tag = row?.digest === object.digest ? row.tag : undefined;
    return readObject(this.#client, this.#bucket, object, tag, range);
  }

  async foreign(looks?: Looks): Promise<readonly ForeignChange[]> {
    const { isOwn = () => false, completeAt = Number.NaN } = this.#input;
    return listForeign({ ...this.#input, isOwn, completeAt }, looks);
  }

  async settingsDrift(): Promise<readonly SettingDrift[]> {
    const { client, bucket, rows, web } = this.#input;
    if (!web) return [];
    const [own, records, copies] = await Promise.all([
      listDrift(client, bucket, { ...web.now, sharing: this.state.settings.sharing }),
      listDrift(client, ledgerOf(bucket), undefined),
      listWrongCopies({ client, bucket, rows, ...web }),
    ]);
    const wrong = copies.map(({ name, of }) => ({
      what: 'document-copy' as const,
      ofRecords: false,
      now: `${name} is gone, or is something else`,
      must: of.key,
    }));
    return [...own, ...wrong, ...records];
  }

  async close(): Promise<void> {
    // Nothing is held open.
  }
}

/**
 * An object's bytes: where it is published as long as those are the ones, else where bodies of earlier releases lie.
 * @param tag the store's own for them
 * @param isStaged whether others are published under its key for now @throws FenestraError BODY_DAMAGED, also half-way
 */
export async function* readObject(
  client: SwiftClient,
  bucket: string,
  object: SiteObject,
  tag: string | undefined,
  range?: ByteRange,
  isStaged = false,
): AsyncGenerator<Uint8Array> {
  if (object.size === 0) return;
  const kept = { path: objectPath(ledgerOf(bucket), bodyName(object.digest)), tag: undefined };
  const places = [...(isStaged ? [] : [{ path: objectPath(bucket, object.key), tag }]), kept];
  const headers = {
    'x-newest': 'true',
    ...(range ? { range: `bytes=${range.start}-${range.end}` } : {}),
  };
  for (const place of places) {
    const {
      status,
      headers: said,
      body,
    } = await client.call({
      method: 'GET',
      path: place.path,
      headers,
      expect: [404, 409, 416],
    });
    const isOther = place.tag !== undefined && unquoted(said['etag']) !== place.tag;
    if (status >= 300 || isOther) {
      await body.dump();
      continue;
    }
    yield* verified(client.steadily(body), object, range, place.path);
    return;
  }
  throw new FenestraError('BODY_DAMAGED', {
    key: object.key,
    reason: 'they are gone, or others are in their place',
    path: client.store,
  });
}

/** The last piece of a whole body is given once all of it is known to be right. */
async function* verified(
  pieces: AsyncIterable<Buffer>,
  { key, digest, size }: SiteObject,
  range: ByteRange | undefined,
  path: string,
): AsyncGenerator<Uint8Array> {
  const wrong = (reason: string): FenestraError => new FenestraError('BODY_DAMAGED', { key, reason, path });
  const hash = createHash('sha256');
  let length = 0;
  let held: Buffer | undefined;
  try {
    for await (const piece of pieces) {
      if (!range) hash.update(piece);
      length += piece.length;
      if (held) yield held;
      held = piece;
    }
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw wrong(error instanceof TooSlow ? error.message : 'the connection was cut');
  }
  const expected = range ? Math.min(size, range.end + 1) - range.start : size;
  if (length !== expected) throw wrong(`${length} bytes of ${expected} came`);
  if (!range && hash.digest('hex') !== digest) throw wrong('they have another digest than was published');
  if (held) yield held;
}
