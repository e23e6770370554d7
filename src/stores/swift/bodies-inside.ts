/** Bodies of a publish that need not be sent, since the store has the same bytes under another name. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ReleasePlan } from '../../core/release/release.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { SwiftClient } from './client.js';
import type { KeptBodies } from './kept-bodies.js';
import { objectPath } from './names.js';
import type { Rows } from './rows.js';
import { MAX_WHOLE, type Sent } from './send-body.js';
import { copyInside, type Place, type Source } from './sources.js';

/** Smaller ones are sent: that takes no longer than to ask for a copy. Bytes. */
const MIN_SIZE = 4096;

export interface InsideInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly plan: ReleasePlan;
  /** What the bucket holds before. */
  readonly rows: Rows;
  readonly kept: KeptBodies;
  /** Bytes above which a body goes in segments; undefined where the store knows of none. */
  readonly segmentsAbove: () => Promise<number | undefined>;
}

export class BodiesInside {
  readonly #input: InsideInput;
  #repeated: ReadonlySet<string> | undefined;
  #inBucket: ReadonlyMap<string, Place> | undefined;
  /** By digest: the first object that brings those bytes, and when they are there. */
  readonly #onTheWay = new Map<
    string,
    { readonly key: string; readonly there: Promise<Place | undefined> }
  >();

  constructor(input: InsideInput) {
    this.#input = input;
  }

  /**
   * Copies an object to its place from wherever the store has its bytes.
   * @param to below the account
   * @returns undefined where it has them nowhere else, or no more
   */
  async copyInstead(object: SiteObject, to: string): Promise<Sent | undefined> {
    for await (const place of this.#places(object)) {
      // Of what waits beside the digest is the name: there it is as it is to be.
      if (this.#input.plan.staged && place.from === to) return { digest: object.digest, tag: '' };
      try {
        return await this.copyTo({ object, ...place }, to);
      } catch (error) {
        if (!(error instanceof FenestraError && error.code === 'BODIES_SWEPT')) throw error;
      }
    }
    return undefined;
  }

  /** @throws FenestraError BODIES_SWEPT where it is not there any more */
  async copyTo(source: Source, to: string): Promise<Sent> {
    const { client, bucket, segmentsAbove } = this.#input;
    const mayBeCut = source.object.size > MAX_WHOLE && (await segmentsAbove()) !== undefined;
    return copyInside(client, bucket, source, to, mayBeCut);
  }

  /**
   * Where an object may be copied from, the nearest first; something else may be there by now. Waits for the same bytes
   * that are on their way under another name.
   */
  async *#places({ key, digest, size }: SiteObject): AsyncGenerator<Place> {
    if (size < MIN_SIZE) return;
    const { bucket, rows, kept } = this.#input;
    const first = this.#onTheWay.get(digest);
    const sent = first?.key === key ? undefined : await first?.there;
    if (sent) yield sent;
    if (rows.size === 0) return;
    const row = rows.get(key);
    if (row?.digest === digest) yield { from: objectPath(bucket, key), tag: row.tag };
    const other = this.#held().get(digest);
    if (other) yield other;
    if ((await kept.list()).has(digest)) yield { from: kept.pathOf(digest) };
  }

  /** Notes that a body is on its way. @param work ends with where it is then; undefined where it did not come there */
  note({ key, digest, size }: SiteObject, work: Promise<Place | undefined>): void {
    if (size < MIN_SIZE || this.#onTheWay.has(digest)) return;
    this.#repeated ??= listRepeated(this.#input.plan.put);
    if (this.#repeated.has(digest)) this.#onTheWay.set(digest, { key, there: work.catch(() => undefined) });
  }

  /** Of what is to be put, what the bucket has already. */
  #held(): ReadonlyMap<string, Place> {
    if (this.#inBucket) return this.#inBucket;
    const { bucket, rows } = this.#input;
    const wanted = new Set(this.#input.plan.put.map(({ digest }) => digest));
    const held = new Map<string, Place>();
    for (const [key, { digest, tag }] of rows)
      if (wanted.has(digest)) held.set(digest, { from: objectPath(bucket, key), tag });
    return (this.#inBucket = held);
  }
}

/** Digests that more than one object has. */
function listRepeated(objects: readonly SiteObject[]): ReadonlySet<string> {
  const [seen, repeated] = [new Set<string>(), new Set<string>()];
  for (const { digest, size } of objects) {
    if (size < MIN_SIZE) continue;
    if (seen.has(digest)) repeated.add(digest);
    else seen.add(digest);
  }
  return repeated;
}
