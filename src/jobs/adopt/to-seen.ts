/** One answer of a published site, as what is learned from: below its address, its content coding undone. */
import { isUtf8 } from 'node:buffer';
import { hash } from 'node:crypto';
import { brotliDecompressSync, gunzipSync } from 'node:zlib';
import type { SeenAnswer } from '../../core/adopting/seen.js';
import type { WholeAnswer } from '../../endpoint/index.js';

/** Bytes of the longest body that is kept. */
export const MAX_KEPT_BODY = 64 * 2 ** 20;

export interface Seen {
  readonly answer: SeenAnswer;
  /** Undefined where it was not read to its end. */
  readonly body: Buffer | undefined;
}

/** @param at the site's address @param target that it was asked for, below that address */
export function toSeen(at: URL, target: string, { status, headers, size, body: sent }: WholeAnswer): Seen {
  const body = sent && decode(sent, headers['content-encoding']);
  const path = target.replace(/\?.*/s, '');
  const { location } = headers;
  return {
    body,
    answer: {
      path,
      status,
      headers: location === undefined ? headers : { ...headers, location: locationBelow(at, location, path) },
      digest: hash('sha256', body ?? Buffer.alloc(0), 'hex'),
      size,
      isUtf8: body !== undefined && isUtf8(body) && !body.includes(0),
      isWhole: body !== undefined,
    },
  };
}

/** Of a site below a path of its host, redirects are told as if it were at the root. */
function locationBelow(at: URL, location: string, path: string): string {
  const from = at.href.slice(0, -1) + path;
  if (!URL.canParse(location, from)) return location;
  const url = new URL(location, from);
  if (url.origin !== at.origin || !url.pathname.startsWith(at.pathname)) return url.href;
  return url.pathname.slice(at.pathname.length - 1) + url.search + url.hash;
}

/** Undefined where what it holds is no such coding, or more than is read. */
function decode(body: Buffer, coding: string | undefined): Buffer | undefined {
  const name = coding?.trim().toLowerCase() ?? '';
  try {
    if (name === 'gzip' || name === 'x-gzip') return gunzipSync(body, { maxOutputLength: MAX_KEPT_BODY });
    if (name === 'br') return brotliDecompressSync(body, { maxOutputLength: MAX_KEPT_BODY });
  } catch {
    return undefined;
  }
  return body;
}
