/** What was sent so far, in columns: of very many objects each with the sixteen bytes of its tag. */
import { findKey } from '../../core/site/find-key.js';
import { compareKeys } from '../../core/site/key.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { Sent } from './send-body.js';

const TAG = 16;

export class SentTags {
  readonly #objects: readonly SiteObject[];
  readonly #tags: Buffer;
  readonly #isSent: Uint8Array;
  /** What is no such object, or lies in segments. */
  readonly #others = new Map<string, Sent>();

  /** @param objects that are to be sent */
  constructor(objects: readonly SiteObject[]) {
    this.#objects = objects.every(
      ({ key }, at) => at === 0 || compareKeys(objects[at - 1]?.key ?? '', key) < 0,
    )
      ? objects
      : [...objects].sort((a, b) => compareKeys(a.key, b.key));
    this.#tags = Buffer.alloc(TAG * objects.length);
    this.#isSent = new Uint8Array(objects.length);
  }

  set(key: string, digest: string, tag: string, parts?: number): void {
    const at = this.#placeOf(key);
    if (at >= 0 && parts === undefined && tag.length === 2 * TAG && this.#objects[at]?.digest === digest) {
      this.#tags.write(tag, at * TAG, 'hex');
      this.#isSent[at] = 1;
    } else this.#others.set(key, { digest, tag, ...(parts === undefined ? {} : { parts }) });
  }

  get(key: string): Sent | undefined {
    const other = this.#others.get(key);
    if (other) return other;
    const at = this.#placeOf(key);
    const object = this.#isSent[at] === 1 ? this.#objects[at] : undefined;
    return object && { digest: object.digest, tag: this.#tags.toString('hex', at * TAG, (at + 1) * TAG) };
  }

  has(key: string): boolean {
    return this.#others.has(key) || this.#isSent[this.#placeOf(key)] === 1;
  }

  *[Symbol.iterator](): Generator<readonly [string, Sent]> {
    for (const [at, { key }] of this.#objects.entries()) {
      const sent = this.#isSent[at] === 1 && !this.#others.has(key) ? this.get(key) : undefined;
      if (sent) yield [key, sent];
    }
    yield* this.#others;
  }

  #placeOf(key: string): number {
    return findKey(this.#objects.length, (at) => this.#objects[at]?.key ?? '', key);
  }
}
