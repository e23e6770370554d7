/**
 * Bodies that are too large to be sent in one piece: their segments lie in the bucket itself, named by the digest of the
 * whole, so that other bytes never have the name of these, and a manifest stands under the key (a static large object).
 */
import { hash } from 'node:crypto';
import { unquoted, type SwiftClient } from './client.js';
import { listNames } from './listing.js';
import { storeRefused } from './refused.js';
import { objectPath, SEGMENTS } from './names.js';

export interface Segment {
  /** Below the account. */
  readonly path: string;
  /** MD5 of its bytes. */
  readonly tag: string;
  readonly size: number;
}

/** The most that one manifest may have, as stores of this kind are set up. */
export const MAX_SEGMENTS = 1000;

export const segmentsOf = (digest: string): string => `${SEGMENTS}${digest}/`;

const NUMBER = 8;

/** @param size of each but the last: another size is another cut of the same bytes */
export const segmentName = (digest: string, size: number, number: number): string =>
  `${segmentsOf(digest)}${size}/${String(number).padStart(NUMBER, '0')}`;

/** In order; where a body was cut in several ways, those of the way that has most. */
export async function listSegments(client: SwiftClient, bucket: string, digest: string): Promise<Segment[]> {
  const cuts = new Map<string, Segment[]>();
  for await (const { name, hash: tag, bytes } of listNames(client, bucket, segmentsOf(digest))) {
    const cut = name.slice(0, -NUMBER);
    const segment = { path: objectPath(bucket, name), tag, size: bytes };
    const known = cuts.get(cut);
    if (known) known.push(segment);
    else cuts.set(cut, [segment]);
  }
  return [...cuts.values()].sort((a, b) => b.length - a.length)[0] ?? [];
}

/** @param path where it is to stand @returns the store's tag of the whole */
export async function putManifest(
  client: SwiftClient,
  path: string,
  headers: Readonly<Record<string, string>>,
  segments: readonly Segment[],
): Promise<string> {
  const body = Buffer.from(
    JSON.stringify(
      segments.map((each) => ({
        path: decodeURIComponent(each.path),
        etag: each.tag,
        size_bytes: each.size,
      })),
    ),
  );
  const tag = hash('md5', segments.map((each) => each.tag).join(''), 'hex');
  // Each segment is compared by the store with what the manifest says of it; not every store takes a sum of the whole.
  const reply = await client.done({
    method: 'PUT',
    path: `${path}?multipart-manifest=put`,
    headers: { ...headers, 'content-length': String(body.length) },
    body,
  });
  const said = unquoted(reply.headers['etag']);
  if (said !== '' && said !== tag)
    throw storeRefused(client.store, `PUT /${path}`, reply.status, `${said} as the sum of other segments`);
  return tag;
}
