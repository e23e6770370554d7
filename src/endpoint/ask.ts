/** Asking an endpoint, byte for byte as the request is meant. */
import { createHash, hash, type Hash } from 'node:crypto';
import type { Dispatcher } from 'undici';
import { tooLate, tooLong, type AnswerLimits } from './limits.js';
import type { WebRequest } from '../core/hosting/answer.js';
import type { Observed, Slice } from '../core/check/probe.js';
import { basicAuthorization } from '../core/words/public-url.js';

/**
 * @param base the endpoint's base address; the request's target is asked of its origin, with the name and password that
 *   the address has
 * @param options.limits of the answer
 * @param options.slice a part of the body to digest by itself
 * @param options.keep keeps the connection even after HEAD
 * @throws the system's or undici's error when nothing answers, BeyondLimits when the answer does not end in time
 */
export async function askEndpoint(
  base: URL,
  web: WebRequest,
  dispatcher: Dispatcher,
  {
    limits,
    slice,
    keep,
  }: {
    readonly limits: AnswerLimits;
    readonly slice?: Slice | undefined;
    readonly keep?: boolean | undefined;
  },
): Promise<Observed> {
  const authorization = basicAuthorization(base);
  const late = new AbortController();
  const timer = setTimeout(() => late.abort(tooLate(limits)), limits.wholeMs);
  try {
    const { statusCode, headers, body } = await dispatcher.request({
      signal: late.signal,
      origin: base.origin,
      path: web.target,
      method: web.method as Dispatcher.HttpMethod,
      headers: {
        ...(web.headers as Record<string, string>),
        ...(authorization === undefined ? {} : { authorization }),
      },
      ...(keep ? { reset: false } : {}),
    });
    const read = new BodyDigest(slice);
    // Leaving the loop ends the connection.
    for await (const chunk of body as AsyncIterable<Buffer>)
      if (read.add(chunk) > limits.mostBytes) throw tooLong(limits);
    return { status: statusCode, headers, ...read.finish() };
  } catch (error) {
    throw late.signal.aborted ? late.signal.reason : error;
  } finally {
    clearTimeout(timer);
  }
}

/** Digests a body as it comes. Most come in one piece, which needs no state beside OpenSSL's. */
class BodyDigest {
  readonly #slice: Slice | undefined;
  #only: Buffer | undefined;
  #hash: Hash | undefined;
  #part: Hash | undefined;
  #length = 0;

  constructor(slice: Slice | undefined) {
    this.#slice = slice;
  }

  /** @returns how many bytes have come */
  add(chunk: Buffer): number {
    if (this.#length === 0 && !this.#hash) {
      this.#only = chunk;
      this.#length = chunk.length;
      return this.#length;
    }
    if (!this.#hash) this.#begin();
    this.#take(chunk, this.#length);
    this.#length += chunk.length;
    return this.#length;
  }

  #begin(): void {
    this.#hash = createHash('sha256');
    this.#part = this.#slice && createHash('sha256');
    if (this.#only) this.#take(this.#only, 0);
    this.#only = undefined;
  }

  #take(chunk: Buffer, at: number): void {
    this.#hash?.update(chunk);
    if (this.#slice && this.#part) addPart(this.#part, this.#slice, chunk, at);
  }

  finish(): Pick<Observed, 'digest' | 'length' | 'sliceDigest'> {
    const length = this.#length;
    if (this.#hash)
      return {
        digest: this.#hash.digest('hex'),
        length,
        ...(this.#part ? { sliceDigest: this.#part.digest('hex') } : {}),
      };
    const whole = this.#only ?? Buffer.alloc(0);
    const { start, end } = this.#slice ?? { start: 0, end: -1 };
    return {
      digest: hash('sha256', whole, 'hex'),
      length,
      ...(this.#slice ? { sliceDigest: hash('sha256', whole.subarray(start, end + 1), 'hex') } : {}),
    };
  }
}

function addPart(part: Hash, { start, end }: Slice, chunk: Buffer, at: number): void {
  const from = Math.max(0, start - at);
  const to = Math.min(chunk.length, end + 1 - at);
  if (from < to) part.update(chunk.subarray(from, to));
}
