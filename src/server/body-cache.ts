/** Small bodies kept in memory within a bound, the least recently used given up first. */
export class BodyCache {
  readonly #bodies = new Map<string, Buffer>();
  readonly #limit: number;
  #bytes = 0;

  /** @param limit bytes */
  constructor(limit: number) {
    this.#limit = limit;
  }

  get(digest: string): Buffer | undefined {
    const body = this.#bodies.get(digest);
    if (body && this.#bytes > this.#limit / 2) {
      this.#bodies.delete(digest);
      this.#bodies.set(digest, body);
    }
    return body;
  }

  put(digest: string, body: Buffer): void {
    if (this.#bodies.has(digest) || body.length > this.#limit / 8) return;
    this.#bodies.set(digest, body);
    this.#bytes += body.length;
    for (const [oldest, { length }] of this.#bodies) {
      if (this.#bytes <= this.#limit) return;
      this.#bodies.delete(oldest);
      this.#bytes -= length;
    }
  }
}
