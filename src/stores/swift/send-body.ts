/** Sending bodies: small ones whole, larger ones as they are read, the largest in segments. */
import { createHash, hash } from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ObjectHeaders } from '../../core/site/site-object.js';
import type { BodySource } from '../port.js';
import { unquoted, type SwiftClient } from './client.js';
import { listNames } from './listing.js';
import { objectPath } from './names.js';
import { MAX_SEGMENTS, putManifest, segmentName, segmentsOf, type Segment } from './segments.js';

/** What lies under a key after it was sent. */
export interface Sent {
  readonly digest: string;
  /** The store's own. */
  readonly tag: string;
  /** How many segments it has. */
  readonly parts?: number;
}

/** A store that is told no type guesses one by the name. */
export const sentHeaders = (headers: ObjectHeaders): Record<string, string> =>
  Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]));

const MEBIBYTE = 2 ** 20;

/** Larger bodies are sent as they are read. Bytes. */
export const MAX_WHOLE = 8 * MEBIBYTE;

/** @param path below the account @param bytes all of them, verified @returns the store's tag of them */
export async function sendWhole(
  client: SwiftClient,
  path: string,
  headers: Readonly<Record<string, string>>,
  bytes: Buffer,
): Promise<string> {
  const tag = hash('md5', bytes, 'hex');
  await client.done({
    method: 'PUT',
    path,
    headers: { ...headers, etag: tag, 'content-length': String(bytes.length) },
    body: bytes,
  });
  return tag;
}

/**
 * Reads a body twice: once to know that it is the object's and what the store has to say of each part of it, once to
 * send it. What the store has of it already is not sent again.
 * @param above bytes above which it goes in segments of that size; undefined where the store knows of none
 * @param to where it goes, below the account; its segments go to the bucket
 * @throws FenestraError FILE_CHANGING
 */
export async function sendLarge(
  client: SwiftClient,
  bucket: string,
  body: BodySource,
  above: number | undefined,
  to: string,
  headers: Readonly<Record<string, string>>,
): Promise<Sent> {
  const { digest, size } = body.object;
  const isCut = above !== undefined && size > above;
  const part = isCut ? Math.max(above, Math.ceil(size / MAX_SEGMENTS / MEBIBYTE) * MEBIBYTE) : size;
  const tags = await readTags(body, part);
  // Whether the token still holds is asked before so much is sent for nothing.
  await client.done({ method: 'HEAD', path: to, expect: [404, 409] });
  const send = async (
    path: string,
    number: number,
    tag: string,
    labels: Readonly<Record<string, string>>,
  ): Promise<void> => {
    const start = number * part;
    const length = Math.min(part, size - start);
    const reply = await client.done({
      method: 'PUT',
      path,
      headers: { ...labels, etag: tag, 'content-length': String(length) },
      body: () => slice(body, start, length),
    });
    if (unquoted(reply.headers['etag']) !== tag) throw changing(body);
  };
  if (!isCut) {
    const [tag = ''] = tags;
    await send(to, 0, tag, headers);
    return { digest, tag };
  }
  const there = new Map<string, string>();
  for await (const listed of listNames(client, bucket, segmentsOf(digest)))
    there.set(listed.name, listed.hash);
  const segments: Segment[] = [];
  for (const [number, tag] of tags.entries()) {
    const name = segmentName(digest, part, number);
    const path = objectPath(bucket, name);
    if (there.get(name) !== tag)
      await send(path, number, tag, { 'content-type': 'application/octet-stream' });
    segments.push({ path, tag, size: Math.min(part, size - number * part) });
  }
  const tag = await putManifest(client, to, headers, segments);
  return { digest, tag, parts: segments.length };
}

const changing = ({ path }: BodySource): FenestraError => new FenestraError('FILE_CHANGING', { path });

/** The MD5 of each part. @throws FenestraError FILE_CHANGING where they are not the object's bytes */
async function readTags(body: BodySource, part: number): Promise<string[]> {
  const { digest, size } = body.object;
  const whole = createHash('sha256');
  const tags: string[] = [];
  let own = createHash('md5');
  let [length, inPart] = [0, 0];
  for await (const piece of (body.look ?? body.pieces)()) {
    whole.update(piece);
    length += piece.length;
    if (length > size) throw changing(body);
    for (let at = 0; at < piece.length;) {
      const taken = piece.subarray(at, at + part - inPart);
      own.update(taken);
      at += taken.length;
      inPart += taken.length;
      if (inPart < part) continue;
      tags.push(own.digest('hex'));
      own = createHash('md5');
      inPart = 0;
    }
  }
  if (inPart > 0) tags.push(own.digest('hex'));
  if (length !== size || whole.digest('hex') !== digest) throw changing(body);
  return tags;
}

/** A part of the bytes; each piece stays good, since it may wait to be sent. */
async function* slice(body: BodySource, start: number, length: number): AsyncGenerator<Buffer> {
  let at = 0;
  const end = start + length;
  for await (const piece of body.pieces()) {
    const from = Math.max(0, start - at);
    const to = Math.min(piece.length, end - at);
    if (to > from) yield Buffer.from(piece.subarray(from, to));
    at += piece.length;
    if (at >= end) return;
  }
  if (at < end) throw changing(body);
}
