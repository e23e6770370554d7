/** Asking an endpoint, byte for byte as the request is meant. */
import { createHash, type Hash } from 'node:crypto';
import type { Dispatcher } from 'undici';
import type { WebRequest } from '../core/hosting/answer.js';
import type { Observed, Slice } from '../core/check/probe.js';

/**
 * @param base the endpoint's base address; the request's target is asked of its origin
 * @param options.slice a part of the body to digest by itself
 * @param options.keep keeps the connection even after HEAD
 * @throws the system's or undici's error when nothing answers
 */
export async function askEndpoint(
  base: URL,
  web: WebRequest,
  dispatcher: Dispatcher,
  { slice, keep }: { readonly slice?: Slice | undefined; readonly keep?: boolean | undefined } = {},
): Promise<Observed> {
  const { statusCode, headers, body } = await dispatcher.request({
    origin: base.origin,
    path: web.target,
    method: web.method as Dispatcher.HttpMethod,
    headers: web.headers as Record<string, string>,
    ...(keep ? { reset: false } : {}),
  });
  const hash = createHash('sha256');
  const part = slice && createHash('sha256');
  let length = 0;
  for await (const chunk of body as AsyncIterable<Buffer>) {
    hash.update(chunk);
    if (slice && part) addPart(part, slice, chunk, length);
    length += chunk.length;
  }
  return {
    status: statusCode,
    headers,
    digest: hash.digest('hex'),
    length,
    ...(part ? { sliceDigest: part.digest('hex') } : {}),
  };
}

function addPart(part: Hash, { start, end }: Slice, chunk: Buffer, at: number): void {
  const from = Math.max(0, start - at);
  const to = Math.min(chunk.length, end + 1 - at);
  if (from < to) part.update(chunk.subarray(from, to));
}
