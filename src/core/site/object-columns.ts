/** Objects of a release in columns: a tenth of the memory of one thing for each, and another thread can have them too. */
import { findKey } from './find-key.js';
import type { ObjectHeaders, StoredObject } from './site-object.js';

const DIGEST = 32;

/** Plain data; all of it can be sent to another thread. */
export interface PackedObjects {
  /** All keys, one after the other, and where each ends in it. */
  readonly keys: string;
  readonly ends: Uint32Array;
  readonly sizes: Float64Array;
  readonly since: Float64Array;
  readonly digests: Uint8Array;
  /** The place of each object's headers among `headers`. */
  readonly labels: Uint32Array;
  readonly headers: readonly ObjectHeaders[];
}

/** @param objects in key order, with SHA-256 digests */
export function packObjects(objects: readonly StoredObject[]): PackedObjects {
  const { length } = objects;
  const packed = {
    keys: objects.map(({ key }) => key).join(''),
    ends: new Uint32Array(length),
    sizes: Float64Array.from(objects, ({ size }) => size),
    since: Float64Array.from(objects, (object) => object.since),
    digests: new Uint8Array(length * DIGEST),
    labels: new Uint32Array(length),
    headers: [] as ObjectHeaders[],
  };
  const known = new Map<ObjectHeaders, number>();
  let end = 0;
  objects.forEach(({ key, digest, headers }, at) => {
    packed.ends[at] = end += key.length;
    packed.digests.set(Buffer.from(digest, 'hex').subarray(0, DIGEST), at * DIGEST);
    let label = known.get(headers);
    if (label === undefined) known.set(headers, (label = packed.headers.push(headers) - 1));
    packed.labels[at] = label;
  });
  return packed;
}

export class ObjectColumns implements Iterable<StoredObject> {
  readonly #packed: PackedObjects;

  constructor(packed: PackedObjects) {
    this.#packed = packed;
  }

  *[Symbol.iterator](): Generator<StoredObject> {
    for (let at = 0; at < this.#packed.ends.length; at++) yield this.#at(at);
  }

  /** Made anew each time it is asked for. */
  find(key: string): StoredObject | undefined {
    const place = findKey(this.#packed.ends.length, (at) => this.#key(at), key);
    return place < 0 ? undefined : this.#at(place);
  }

  /** Whether any key begins so. */
  /** '' after the last. */
  keyAt(at: number): string {
    return at < this.length ? this.#key(at) : '';
  }

  get length(): number {
    return this.#packed.ends.length;
  }

  #key(at: number): string {
    const { keys, ends } = this.#packed;
    return keys.slice(at === 0 ? 0 : ends[at - 1], ends[at]);
  }

  #at(at: number): StoredObject {
    const { sizes, since, digests, labels, headers } = this.#packed;
    return {
      key: this.#key(at),
      size: sizes[at] ?? 0,
      digest: Buffer.from(digests.buffer, digests.byteOffset + at * DIGEST, DIGEST).toString('hex'),
      headers: headers[labels[at] ?? 0] ?? {},
      since: since[at] ?? 0,
    };
  }
}
