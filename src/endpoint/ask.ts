/** Asks an endpoint and hashes what it sends; no body is ever held whole. */
import { createHash } from 'node:crypto';
import type { Dispatcher } from 'undici';
import type { WebRequest } from '../core/hosting/answer.js';
import type { Observed } from '../core/check/probe.js';

/**
 * @param base the endpoint's base address; the request's target is asked of its origin
 * @throws the system's or undici's error when nothing answers
 */
export async function askEndpoint(base: URL, web: WebRequest, dispatcher: Dispatcher): Promise<Observed> {
  const { statusCode, headers, body } = await dispatcher.request({
    origin: base.origin,
    path: web.target,
    method: web.method as Dispatcher.HttpMethod,
    headers: web.headers as Record<string, string>,
  });
  const hash = createHash('sha256');
  let length = 0;
  for await (const chunk of body as AsyncIterable<Buffer>) {
    hash.update(chunk);
    length += chunk.length;
  }
  return { status: statusCode, headers, digest: hash.digest('hex'), length };
}
