/** What a log tells of an answered request. */
import type { ServerResponse } from 'node:http';
import type { OrderedResponse } from './connections.js';
import { headerOf, type Answer, type WebRequest } from '../core/hosting/answer.js';

/** One answered request. */
export interface Served {
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly method: string;
  readonly host: string;
  readonly target: string;
  readonly bucket: string;
  readonly status: number;
  readonly reason: string;
  readonly key?: string;
  readonly because?: string;
  /** Bytes of body that were sent. */
  readonly bytes: number;
  readonly milliseconds: number;
  /** Whether the body went out whole. */
  readonly complete: boolean;
  readonly headers: readonly string[];
}

/** Waits for an answer to be out, and then tells of it. */
export class AccessLogEntry {
  readonly #onServed: (served: Served) => void;
  readonly #web: WebRequest;
  readonly #host: string;
  readonly #answer: Answer;
  readonly #bucket: string;
  readonly #began: number;

  /** @param began when the request came, by the clock of `performance` */
  constructor(
    onServed: (served: Served) => void,
    web: WebRequest,
    host: string,
    answer: Answer,
    bucket: string,
    began: number,
  ) {
    this.#onServed = onServed;
    this.#web = web;
    this.#host = host;
    this.#answer = answer;
    this.#bucket = bucket;
    this.#began = began;
  }

  write(response: ServerResponse): void {
    const answer = this.#answer;
    const { method, target } = this.#web;
    const served: { -readonly [Name in keyof Served]: Served[Name] } = {
      at: Date.now(),
      method,
      host: this.#host,
      target,
      bucket: this.#bucket,
      status: response.statusCode,
      reason: answer.reason,
      bytes: method === 'HEAD' || response.statusCode !== answer.status ? 0 : sizeOf(answer),
      milliseconds: performance.now() - this.#began,
      complete: response.writableFinished,
      headers: answer.headers,
    };
    if (answer.key !== undefined) served.key = answer.key;
    if (answer.because !== undefined) served.because = answer.because;
    this.#onServed(served);
  }
}

function sizeOf({ body, headers }: Answer): number {
  if (body.kind !== 'object') return 0;
  if (body.parts) return Number(headerOf(headers, 'Content-Length'));
  return body.range ? body.range.end - body.range.start + 1 : body.object.size;
}

/** One handler for all answers. */
export function tellWatcher(this: OrderedResponse): void {
  this.logEntry?.write(this);
}
