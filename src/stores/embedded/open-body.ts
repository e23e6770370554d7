/** Opening stored bodies, wherever sweeping has moved them, and reading them: no byte is passed on that is not proved. */
import * as crypto from 'node:crypto';
import { open, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import type { SiteObject } from '../../core/site/site-object.js';
import { BLOCK, blockStart, sumUp, verifyBlocks } from '../../files/block-sums.js';
import type { ByteRange, Pieces } from '../port.js';
import { noteDamage } from './damage.js';
import { largePath, type Layout } from './layout.js';
import type { Rows } from './rows.js';

/** A body's file, opened: it can be read to its end even when it is swept meanwhile. Whoever opens it closes it. */
interface OpenedBody {
  readonly path: string;
  /** Offset of the body in the file. */
  readonly start: number;
  readonly file: FileHandle;
}

/** Bytes up to which a body is read at once. */
const SMALL = BLOCK;

/** @throws FenestraError BODY_DAMAGED */
async function openBody(layout: Layout, rows: Rows, object: SiteObject): Promise<OpenedBody> {
  try {
    return await openWhereItLies(layout, rows, object);
  } catch (error) {
    if (!(error instanceof FenestraError && error.code === 'BODY_DAMAGED')) throw error;
    // Sweeping may have moved it since this process last looked.
    rows.root.resetReadTxn();
    try {
      return await openWhereItLies(layout, rows, object);
    } catch (again) {
      if (again instanceof FenestraError && again.code === 'BODY_DAMAGED') noteDamage(rows, object.digest);
      throw again;
    }
  }
}

async function openWhereItLies(layout: Layout, rows: Rows, object: SiteObject): Promise<OpenedBody> {
  const place = rows.bodies.get(object.digest);
  if (!place) throw damaged(layout, object, 'the index does not know them');
  const path = place.pack === undefined ? largePath(layout, object.digest) : join(layout.packs, place.pack);
  try {
    return { path, start: place.offset, file: await open(path, 'r') };
  } catch (error) {
    if (systemCode(error) === 'ENOENT') throw damaged(layout, object, `${path} is gone`);
    throw error;
  }
}

const damaged = (layout: Layout, { key }: SiteObject, reason: string): FenestraError =>
  new FenestraError('BODY_DAMAGED', { key, reason, path: layout.root });

/** All bytes of a small object. @throws FenestraError BODY_DAMAGED when they are not the ones that were published */
export async function readSmallBody(layout: Layout, rows: Rows, object: SiteObject): Promise<Buffer> {
  if (object.size === 0) return Buffer.alloc(0);
  const { path, start, file } = await openBody(layout, rows, object);
  const bytes = Buffer.allocUnsafe(object.size);
  let read: number;
  try {
    read = (await file.read(bytes, 0, object.size, start)).bytesRead;
  } finally {
    await file.close();
  }
  if (read === object.size && crypto.hash('sha256', bytes, 'hex') === object.digest) return bytes;
  noteDamage(rows, object.digest);
  throw damaged(layout, object, `${path} ${read < object.size ? 'is cut short' : 'holds other bytes'}`);
}

/**
 * An object's bytes or a part of them, in pieces of their own, each proved before it is passed on.
 * @throws FenestraError BODY_DAMAGED, before the first piece or half-way
 */
export async function* readBody(layout: Layout, rows: Rows, object: SiteObject, range?: ByteRange): Pieces {
  if (object.size === 0) return;
  const { start, end } = range ?? { start: 0, end: object.size - 1 };
  if (object.size <= SMALL) {
    yield (await readSmallBody(layout, rows, object)).subarray(start, end + 1);
    return;
  }
  const body = await openBody(layout, rows, object);
  try {
    const wrong = (): FenestraError => {
      noteDamage(rows, object.digest);
      return damaged(layout, object, `${body.path} holds other bytes`);
    };
    const { size } = await body.file.stat();
    if (size !== object.size) {
      noteDamage(rows, object.digest);
      throw damaged(layout, object, `${body.path} ${size < object.size ? 'is cut short' : 'is too long'}`);
    }
    const sums = rows.blocks.get(object.digest) ?? (await sumUpUnknown(rows, body, object, wrong));
    yield* verifyBlocks(readFrom(body, blockStart(start)), sums, { size, start, end }, wrong);
  } finally {
    await body.file.close();
  }
}

async function* readFrom({ file, start }: OpenedBody, from: number): AsyncGenerator<Buffer> {
  const piece = Buffer.allocUnsafe(BLOCK);
  for (let at = start + from; ;) {
    const { bytesRead } = await file.read(piece, 0, piece.length, at);
    if (bytesRead === 0) return;
    yield piece.subarray(0, bytesRead);
    at += bytesRead;
  }
}

const MOST_SUMMED = 200;
const summed = new WeakMap<Rows, LRUCache<string, Buffer>>();

/** Bodies of the first format came without sums: the whole is proved once before a part of it is. */
async function sumUpUnknown(
  rows: Rows,
  body: OpenedBody,
  { digest }: SiteObject,
  wrong: () => FenestraError,
): Promise<Buffer> {
  let known = summed.get(rows);
  if (!known) summed.set(rows, (known = new LRUCache({ max: MOST_SUMMED })));
  const before = known.get(digest);
  if (before) return before;
  const now = await sumUp(readFrom(body, 0));
  if (now.digest !== digest) throw wrong();
  known.set(digest, now.sums);
  return now.sums;
}
