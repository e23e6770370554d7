/** Large bodies that will be kept, collected while their visitors take them. */
import { Readable } from 'node:stream';
import { decideKeeping } from '../../core/caching/shared-freshness.js';
import type { FrontRequest } from '../../core/caching/shared-cache.js';

/** Bytes of bodies that are being collected, in all. */
const MAX_COLLECTING = 8 * 2 ** 20;

export interface Coming {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Readable;
  /** Milliseconds since the epoch. */
  readonly at: number;
}

export class Collector {
  readonly #largest: number;
  #collecting = 0;

  /** @param largest bytes of one body */
  constructor(largest: number) {
    this.#largest = largest;
  }

  /**
   * @param keep is given the whole body once its visitor has taken all of it
   * @returns the body as it is to be taken; undefined where it will not be kept, or there is no room for it now
   */
  begin(request: FrontRequest, coming: Coming, keep: (whole: Buffer) => void): Readable | undefined {
    const { status, headers, body } = coming;
    const bytes = Number(headers['content-length'] ?? NaN);
    if (request.method !== 'GET' || status === 206 || !(bytes <= this.#largest)) return undefined;
    if (decideKeeping(request, coming) !== undefined) return undefined;
    if (this.#collecting + bytes > MAX_COLLECTING) return undefined;
    this.#collecting += bytes;
    const whole = Buffer.allocUnsafeSlow(bytes);
    async function* pieces(): AsyncGenerator<Buffer> {
      let taken = 0;
      for await (const piece of body as AsyncIterable<Buffer>) {
        taken += piece.copy(whole, taken);
        yield piece;
      }
      if (taken === bytes) keep(whole);
    }
    const collected = Readable.from(pieces(), { objectMode: false, highWaterMark: 0 });
    body.once('close', () => (this.#collecting -= bytes));
    return collected.on('error', () => undefined).on('close', () => body.destroy());
  }
}
