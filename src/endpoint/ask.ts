/** Asking an endpoint, byte for byte as the request is meant. */
import { createHash, hash, type Hash } from 'node:crypto';
import type { Dispatcher } from 'undici';
import { locationAtRoot, targetBelow } from './below-path.js';
import { tooLate, tooLong, type AnswerLimits, type BeyondLimits } from './limits.js';
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
export function askEndpoint(
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
  return new Promise((done, failed) => {
    const handler = new AnswerHandler(limits, slice, (observed) => done(atRoot(base, observed)), failed);
    try {
      dispatcher.dispatch(
        {
          origin: base.origin,
          path: targetBelow(base, web.target),
          method: web.method as Dispatcher.HttpMethod,
          headers: {
            ...(web.headers as Record<string, string>),
            ...(authorization === undefined ? {} : { authorization }),
          },
          ...(keep ? { reset: false } : {}),
        },
        handler,
      );
    } catch (error) {
      handler.onResponseError(undefined, error);
    }
  });
}

function atRoot(base: URL, observed: Observed): Observed {
  const { location } = observed.headers;
  return typeof location === 'string' && base.pathname !== '/'
    ? { ...observed, headers: { ...observed.headers, location: locationAtRoot(base, location) } }
    : observed;
}

/** Takes an answer as it comes: one object, since there are tens of thousands. */
class AnswerHandler implements Dispatcher.DispatchHandler {
  readonly #limits: AnswerLimits;
  readonly #done: (observed: Observed) => void;
  readonly #failed: (error: unknown) => void;
  readonly #body: BodyDigest;
  readonly #timer: NodeJS.Timeout;
  #controller: Dispatcher.DispatchController | undefined;
  #late: BeyondLimits | undefined;
  #status = 0;
  #headers: Observed['headers'] = {};

  constructor(
    limits: AnswerLimits,
    slice: Slice | undefined,
    done: (observed: Observed) => void,
    failed: (error: unknown) => void,
  ) {
    this.#limits = limits;
    this.#done = done;
    this.#failed = failed;
    this.#body = new BodyDigest(slice);
    this.#timer = setTimeout(() => this.#end(tooLate(limits)), limits.wholeMs);
  }

  onRequestStart(controller: Dispatcher.DispatchController): void {
    this.#controller = controller;
    // The time may be over before a connection is there.
    if (this.#late) controller.abort(this.#late);
  }

  onResponseStart(
    _controller: Dispatcher.DispatchController,
    status: number,
    headers: Observed['headers'],
  ): void {
    this.#status = status;
    this.#headers = headers;
  }

  onResponseData(_controller: Dispatcher.DispatchController, chunk: Buffer): void {
    if (this.#body.add(chunk) > this.#limits.mostBytes) this.#end(tooLong(this.#limits));
  }

  onResponseEnd(): void {
    clearTimeout(this.#timer);
    this.#done({ status: this.#status, headers: this.#headers, ...this.#body.finish() });
  }

  onResponseError(_controller: Dispatcher.DispatchController | undefined, error: unknown): void {
    clearTimeout(this.#timer);
    this.#failed(this.#late ?? error);
  }

  /** Ends the connection. */
  #end(late: BeyondLimits): void {
    this.#late ??= late;
    this.#controller?.abort(late);
    this.#failed(late);
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
