/** The rows of a release in columns, some thousand at a time: a fraction of the memory of one thing for each. */
import type { ObjectHeaders } from '../../core/site/site-object.js';
import type { LedgerRow, Rows } from './rows.js';

const MANY = 4096;
const DIGEST = 32;
const TAG = 16;

interface Chunk {
  count: number;
  /** The keys one after the other as UTF-8, and where each ends. */
  keys: Buffer;
  readonly ends: Uint32Array;
  readonly sizes: Float64Array;
  readonly since: Float64Array;
  readonly digests: Buffer;
  readonly tags: Buffer;
  /** The place of each row's headers among all. */
  readonly labels: Uint32Array;
  /** What few rows have, or have otherwise. */
  readonly rest: Map<number, Partial<LedgerRow>>;
}

const makeChunk = (): Chunk => ({
  count: 0,
  keys: Buffer.alloc(0),
  ends: new Uint32Array(MANY),
  sizes: new Float64Array(MANY),
  since: new Float64Array(MANY),
  digests: Buffer.alloc(MANY * DIGEST),
  tags: Buffer.alloc(MANY * TAG),
  labels: new Uint32Array(MANY),
  rest: new Map(),
});

const isHex = (text: string, bytes: number): boolean => text.length === 2 * bytes && /^[0-9a-f]*$/.test(text);

export class RowColumns implements Rows {
  readonly #chunks: Chunk[] = [];
  readonly #headers: ObjectHeaders[] = [];
  readonly #known = new Map<string, number>();
  /** Keys of the chunk that is being filled. */
  #keys: string[] = [];
  #size = 0;
  #last: Buffer | undefined;

  get size(): number {
    return this.#size;
  }

  /** @throws RangeError where a key is not behind the one before it */
  push({ key, size, digest, headers, since, tag, ...rest }: LedgerRow): void {
    const bytes = Buffer.from(key);
    if (this.#last && Buffer.compare(this.#last, bytes) >= 0) throw new RangeError(`${key} is out of order`);
    this.#last = bytes;
    let chunk = this.#chunks.at(-1);
    if (!chunk || chunk.count === MANY) this.#chunks.push((chunk = makeChunk()));
    const at = chunk.count++;
    this.#size++;
    this.#keys.push(key);
    chunk.ends[at] = (at === 0 ? 0 : (chunk.ends[at - 1] ?? 0)) + bytes.length;
    chunk.sizes[at] = size;
    chunk.since[at] = since;
    chunk.labels[at] = this.#labelOf(headers);
    const other: { -readonly [K in keyof LedgerRow]?: LedgerRow[K] } = rest;
    if (isHex(digest, DIGEST)) chunk.digests.write(digest, at * DIGEST, 'hex');
    else other.digest = digest;
    if (isHex(tag, TAG)) chunk.tags.write(tag, at * TAG, 'hex');
    else other.tag = tag;
    if (Object.keys(other).length > 0) chunk.rest.set(at, other);
    if (chunk.count === MANY) this.#endChunk(chunk);
  }

  /** Called once all rows are there, before any is asked for. */
  end(): this {
    const chunk = this.#chunks.at(-1);
    if (chunk && this.#keys.length > 0) this.#endChunk(chunk);
    this.#known.clear();
    return this;
  }

  get(key: string): LedgerRow | undefined {
    const place = this.#find(Buffer.from(key));
    return place && rowAt(place.chunk, place.at, this.#headers);
  }

  has(key: string): boolean {
    return this.#find(Buffer.from(key)) !== undefined;
  }

  *keys(): Generator<string> {
    for (const chunk of this.#chunks)
      for (let at = 0; at < chunk.count; at++) yield keyAt(chunk, at).toString();
  }

  *values(): Generator<LedgerRow> {
    for (const chunk of this.#chunks)
      for (let at = 0; at < chunk.count; at++) yield rowAt(chunk, at, this.#headers);
  }

  *[Symbol.iterator](): Generator<[string, LedgerRow]> {
    for (const row of this.values()) yield [row.key, row];
  }

  #labelOf(headers: ObjectHeaders): number {
    const text = JSON.stringify(headers);
    let label = this.#known.get(text);
    if (label === undefined) this.#known.set(text, (label = this.#headers.push(headers) - 1));
    return label;
  }

  #endChunk(chunk: Chunk): void {
    chunk.keys = Buffer.from(this.#keys.join(''));
    this.#keys = [];
  }

  #find(key: Buffer): { readonly chunk: Chunk; readonly at: number } | undefined {
    let [low, high] = [0, this.#chunks.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      const chunk = this.#chunks[middle];
      if (chunk && Buffer.compare(keyAt(chunk, chunk.count - 1), key) < 0) low = middle + 1;
      else high = middle;
    }
    const chunk = this.#chunks[low];
    if (!chunk) return undefined;
    [low, high] = [0, chunk.count];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (Buffer.compare(keyAt(chunk, middle), key) < 0) low = middle + 1;
      else high = middle;
    }
    return low < chunk.count && keyAt(chunk, low).equals(key) ? { chunk, at: low } : undefined;
  }
}

const keyAt = ({ keys, ends }: Chunk, at: number): Buffer =>
  keys.subarray(at === 0 ? 0 : ends[at - 1], ends[at]);

function rowAt(chunk: Chunk, at: number, headers: readonly ObjectHeaders[]): LedgerRow {
  return {
    key: keyAt(chunk, at).toString(),
    size: chunk.sizes[at] ?? 0,
    digest: chunk.digests.toString('hex', at * DIGEST, (at + 1) * DIGEST),
    headers: headers[chunk.labels[at] ?? 0] ?? {},
    since: chunk.since[at] ?? 0,
    tag: chunk.tags.toString('hex', at * TAG, (at + 1) * TAG),
    ...chunk.rest.get(at),
  };
}
