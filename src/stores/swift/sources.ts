/** Where an object's bytes come from that were not sent, and putting them in their place inside the store. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { SiteObject } from '../../core/site/site-object.js';
import { unquoted, type SwiftClient } from './client.js';
import type { Rows } from './rows.js';
import { objectPath } from './names.js';
import { listSegments, putManifest, type Segment } from './segments.js';
import { sendWhole, sentHeaders, type Sent } from './send-body.js';
import type { KeptBodies } from './kept-bodies.js';
import type { SentTags } from './sent-tags.js';

/** Where the bytes of an object are in the store. */
export interface Place {
  /** Below the account. */
  readonly from: string;
  /** The store's own tag of them; undefined where it is not known. */
  readonly tag?: string | undefined;
}

/** Without a place there are no bytes. */
export interface Source extends Partial<Place> {
  readonly object: SiteObject;
}

/**
 * @param missing objects that were not sent
 * @param sentTo where what was sent under a key lies
 * @throws FenestraError BODIES_SWEPT
 */
export async function findSources(
  missing: readonly SiteObject[],
  bucket: string,
  rows: Rows,
  sent: SentTags,
  sentTo: (key: string) => string,
  bodies: KeptBodies,
): Promise<Source[]> {
  if (missing.length === 0) return [];
  const kept = await bodies.list();
  const places = new Map<string, { readonly from: string; readonly tag: string }>();
  for (const [key, { digest, tag }] of rows)
    if (digest !== '' && !sent.has(key)) places.set(digest, { from: objectPath(bucket, key), tag });
  for (const [key, { digest, tag }] of sent) places.set(digest, { from: sentTo(key), tag });
  return missing.map((object) => {
    if (object.size === 0) return { object };
    if (kept.has(object.digest)) return { object, from: bodies.pathOf(object.digest) };
    const row = sent.has(object.key) ? undefined : rows.get(object.key);
    const own =
      row?.digest === object.digest ? { from: objectPath(bucket, object.key), tag: row.tag } : undefined;
    const at = own ?? places.get(object.digest);
    if (!at) throw new FenestraError('BODIES_SWEPT', { bucket, key: object.key });
    return { object, ...at };
  });
}

/**
 * Puts an object in its place without sending it; headers are replaced whole.
 * @param to below the account
 * @param isCut whether bodies of its size may lie in segments
 * @throws FenestraError BODIES_SWEPT
 */
export async function copyInside(
  client: SwiftClient,
  bucket: string,
  { object, from, tag }: Source,
  to: string,
  isCut: boolean,
): Promise<Sent> {
  const { key, digest, headers } = object;
  if (from === undefined)
    return { digest, tag: await sendWhole(client, to, sentHeaders(headers), Buffer.alloc(0)) };
  const segments = isCut ? await segmentsFor(client, bucket, object) : [];
  if (segments.length > 0)
    return {
      digest,
      tag: await putManifest(client, to, sentHeaders(headers), segments),
      parts: segments.length,
    };
  const reply = await client.done({
    method: 'PUT',
    path: to,
    headers: {
      ...sentHeaders(headers),
      'x-copy-from': from,
      'x-fresh-metadata': 'true',
      'content-length': '0',
      // Of what is copied: others in its place are no part of the release.
      ...(tag === undefined || tag === '' ? {} : { 'if-match': `"${tag}"` }),
    },
    expect: [404, 412],
  });
  if (reply.status >= 400) throw new FenestraError('BODIES_SWEPT', { bucket, key });
  return { digest, tag: unquoted(reply.headers['etag']) };
}

/** What a large body was cut into, where it was. */
async function segmentsFor(
  client: SwiftClient,
  bucket: string,
  { digest, size }: SiteObject,
): Promise<Segment[]> {
  const segments = await listSegments(client, bucket, digest);
  return segments.reduce((sum, each) => sum + each.size, 0) === size ? segments : [];
}
