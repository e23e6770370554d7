/** Opening stored bodies, wherever sweeping has moved them, and reading them. */
import * as crypto from 'node:crypto';
import { existsSync } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { ByteRange, Pieces } from '../port.js';
import { largePath, type Layout } from './layout.js';
import type { Rows } from './rows.js';

/** A body's file, opened: it can be read to its end even when it is swept meanwhile. Whoever opens it closes it. */
export interface OpenedBody {
  readonly path: string;
  /** Offset of the body in the file. */
  readonly start: number;
  readonly file: FileHandle;
}

/** @throws FenestraError BODY_DAMAGED */
export async function openBody(layout: Layout, rows: Rows, object: SiteObject): Promise<OpenedBody> {
  try {
    return await openWhereItLies(layout, rows, object);
  } catch (error) {
    const gone = systemCode(error) === 'ENOENT';
    if (!gone && !(error instanceof FenestraError && error.code === 'BODY_DAMAGED')) throw error;
    // Sweeping may have moved it since this process last looked.
    rows.root.resetReadTxn();
    return openWhereItLies(layout, rows, object);
  }
}

async function openWhereItLies(layout: Layout, rows: Rows, object: SiteObject): Promise<OpenedBody> {
  const place = rows.bodies.get(object.digest);
  if (!place) throw damaged(layout, object, 'the index does not know them');
  const path = place.length === 1 ? largePath(layout, object.digest) : join(layout.packs, place[0]);
  if (!existsSync(path)) throw damaged(layout, object, `${path} is gone`);
  return { path, start: place.length === 1 ? 0 : place[1], file: await open(path, 'r') };
}

const damaged = (layout: Layout, { key }: SiteObject, reason: string): FenestraError =>
  new FenestraError('BODY_DAMAGED', { key, reason, path: layout.root });

/** All bytes of a small object. @throws FenestraError BODY_DAMAGED when they are not the ones that were published */
export async function readSmallBody(layout: Layout, rows: Rows, object: SiteObject): Promise<Buffer> {
  const { path, start, file } = await openBody(layout, rows, object);
  const bytes = Buffer.allocUnsafe(object.size);
  try {
    const { bytesRead } = await file.read(bytes, 0, object.size, start);
    if (bytesRead < object.size) throw damaged(layout, object, `${path} is cut short`);
  } finally {
    await file.close();
  }
  if (crypto.hash('sha256', bytes, 'hex') !== object.digest)
    throw damaged(layout, object, `${path} holds other bytes`);
  return bytes;
}

/** Bytes `start` to `end`, both included, as a stream that closes the file. @throws FenestraError BODY_DAMAGED */
export async function streamBody(
  layout: Layout,
  rows: Rows,
  object: SiteObject,
  { start, end }: ByteRange,
): Promise<Readable> {
  const body = await openBody(layout, rows, object);
  const { size } = await body.file.stat();
  if (size >= body.start + object.size)
    return body.file.createReadStream({
      start: body.start + start,
      end: body.start + end,
      highWaterMark: PIECE,
    });
  await body.file.close();
  throw damaged(layout, object, `${body.path} is cut short`);
}

/** Bytes up to which a body is read at once, and of a piece of a larger one. */
const PIECE = 1 << 18;

/** @throws FenestraError BODY_DAMAGED, for a whole large body after its last piece */
export async function* readBody(layout: Layout, rows: Rows, object: SiteObject, range?: ByteRange): Pieces {
  if (object.size === 0) return;
  const { start, end } = range ?? { start: 0, end: object.size - 1 };
  if (object.size <= PIECE) {
    yield (await readSmallBody(layout, rows, object)).subarray(start, end + 1);
    return;
  }
  const whole = start === 0 && end === object.size - 1;
  const hash = crypto.createHash('sha256');
  for await (const piece of (await streamBody(layout, rows, object, {
    start,
    end,
  })) as AsyncIterable<Buffer>) {
    if (whole) hash.update(piece);
    yield piece;
  }
  if (whole && hash.digest('hex') !== object.digest)
    throw damaged(layout, object, 'they have another digest');
}
