/** What a store of this kind does with bodies, tried with objects of their own in a bucket that is there for it. */
import { hash } from 'node:crypto';
import type { BodyAbilities, BodySource } from '../port.js';
import { unquoted, type SwiftClient } from './client.js';
import { objectPath } from './names.js';
import { sendLarge, sendWhole } from './send-body.js';

const TYPE = { 'content-type': 'text/plain' };
const TEXT = Buffer.from('tide');
/** One byte more than a segment. */
const LARGE = Buffer.alloc(2 ** 20 + 1, 'y');

/** @param bucket whatever lies in it is removed with it */
export async function tryBodies(client: SwiftClient, bucket: string): Promise<BodyAbilities> {
  const at = (key: string): string => objectPath(bucket, key);
  const tagOf = async (key: string): Promise<string | undefined> => {
    const { status, headers } = await client.done({ method: 'HEAD', path: at(key), expect: [404] });
    return status === 404 ? undefined : unquoted(headers['etag']);
  };
  const wrong = await client.done({
    method: 'PUT',
    path: at('wrong.txt'),
    headers: { ...TYPE, etag: hash('md5', 'ebb', 'hex'), 'content-length': String(TEXT.length) },
    body: TEXT,
    expect: [400, 422],
  });
  const checksSums = wrong.status >= 400 && (await tagOf('wrong.txt')) === undefined;
  const tag = await sendWhole(client, at('first.txt'), TYPE, TEXT);
  await client.done({
    method: 'PUT',
    path: at('second.txt'),
    headers: { ...TYPE, 'x-copy-from': at('first.txt'), 'content-length': '0' },
    expect: [400, 404, 405, 501],
  });
  const copies = (await tagOf('second.txt')) === tag;
  await client.done({
    method: 'PUT',
    path: at('folder/'),
    headers: { ...TYPE, etag: tag, 'content-length': String(TEXT.length) },
    body: TEXT,
    expect: [400, 403, 404, 405, 409, 412],
  });
  const folderKeys = (await tagOf('folder/')) === tag;
  const segments = (await client.capabilities()).has('slo') && (await joinsSegments(client, bucket));
  return { checksSums, copies, folderKeys, segments };
}

/** Whether a body that was sent in segments is read as one. */
async function joinsSegments(client: SwiftClient, bucket: string): Promise<boolean> {
  const body: BodySource = {
    object: { key: 'large.bin', size: LARGE.length, digest: hash('sha256', LARGE, 'hex'), headers: {} },
    path: 'large.bin',
    read: () => ({ bytes: LARGE, verified: false }),
    pieces: () => [LARGE],
  };
  const path = objectPath(bucket, 'large.bin');
  await sendLarge(client, bucket, body, 2 ** 20, path, TYPE);
  const { bytes } = await client.bytes({ method: 'GET', path, headers: { range: 'bytes=1048574-' } });
  return bytes.equals(LARGE.subarray(1_048_574));
}
