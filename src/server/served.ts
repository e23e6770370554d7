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
export class Watcher {
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

  tell(response: ServerResponse): void {
    const answer = this.#answer;
    const { method, target } = this.#web;
    const isWhole =
      answer.body.kind === 'object' && method !== 'HEAD' && response.statusCode === answer.status;
    this.#onServed({
      at: Date.now(),
      method,
      host: this.#host,
      target,
      bucket: this.#bucket,
      status: response.statusCode,
      reason: answer.reason,
      ...(answer.key === undefined ? {} : { key: answer.key }),
      ...(answer.because === undefined ? {} : { because: answer.because }),
      bytes: isWhole ? Number(headerOf(answer.headers, 'Content-Length') ?? 0) : 0,
      milliseconds: performance.now() - this.#began,
      complete: response.writableFinished,
      headers: answer.headers,
    });
  }
}

/** One handler for all answers. */
export function tellWatcher(this: OrderedResponse): void {
  this.watcher?.tell(this);
}
