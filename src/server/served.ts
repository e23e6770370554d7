/** What a log tells of an answered request. */
import type { IncomingMessage, ServerResponse } from 'node:http';
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

/** @param began when the request came, by the clock of `performance` */
export function watch(
  onServed: (served: Served) => void,
  web: WebRequest,
  request: IncomingMessage,
  response: ServerResponse,
  answer: Answer,
  bucket: string,
  began: number,
): void {
  response.once('close', () => {
    const length = Number(headerOf(answer.headers, 'Content-Length') ?? 0);
    onServed({
      at: Date.now(),
      method: web.method,
      host: request.headers.host ?? '',
      target: web.target,
      bucket,
      status: response.statusCode,
      reason: answer.reason,
      ...(answer.key === undefined ? {} : { key: answer.key }),
      ...(answer.because === undefined ? {} : { because: answer.because }),
      bytes:
        answer.body.kind === 'object' && web.method !== 'HEAD' && response.statusCode === answer.status
          ? length
          : 0,
      milliseconds: performance.now() - began,
      complete: response.writableFinished,
      headers: answer.headers,
    });
  });
}
