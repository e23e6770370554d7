/** An object's bytes as text: decompressed as it is labelled, decoded as its type says. */
import { brotliDecompressSync, gunzipSync } from 'node:zlib';
import { parseMediaType } from '../../core/assign/media-type.js';
import { MAX_READ } from '../../core/reading/reading-kind.js';
import type { SiteObject } from '../../core/site/site-object.js';

/** @returns undefined when the bytes are not what their label says, or far larger than they look */
export function readText({ headers }: Pick<SiteObject, 'headers'>, bytes: Buffer): string | undefined {
  const plain = decompress(bytes, headers['Content-Encoding']);
  return plain && decodeText({ headers }, plain);
}

/** Bytes without any content coding, decoded as their type says. */
export function decodeText({ headers }: Pick<SiteObject, 'headers'>, plain: Buffer): string {
  const charset = parseMediaType(headers['Content-Type'] ?? '')?.parameters.get('charset') ?? 'utf-8';
  if (/^utf-?8$/i.test(charset)) return withoutMark(plain).toString('utf8');
  try {
    return new TextDecoder(charset).decode(plain);
  } catch {
    return plain.toString('utf8');
  }
}

/** Browsers drop a byte order mark before they read anything. */
const withoutMark = (bytes: Buffer): Buffer =>
  bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? bytes.subarray(3) : bytes;

function decompress(bytes: Buffer, encoding: string | undefined): Buffer | undefined {
  const options = { maxOutputLength: MAX_READ };
  try {
    if (encoding === 'gzip') return gunzipSync(bytes, options);
    if (encoding === 'br') return brotliDecompressSync(bytes, options);
    return encoding === undefined ? bytes : undefined;
  } catch {
    return undefined;
  }
}
