/** Opening stored bodies, wherever sweeping has moved them, and reading them: no byte is passed on that is not proved. */
import * as crypto from 'node:crypto';
import { closeSync, openSync, readSync } from 'node:fs';
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
const openBody = (layout: Layout, rows: Rows, object: SiteObject): Promise<OpenedBody> =>
  lookingTwice(rows, object, async () => {
    const { path, start } = placeOf(layout, rows, object);
    return { path, start, file: await open(path, 'r').catch(asGone(layout, object, path)) };
  });

/** @param look finds a body or throws BODY_DAMAGED where it is not */
async function lookingTwice<T>(rows: Rows, object: SiteObject, look: () => T | Promise<T>): Promise<T> {
  try {
    return await look();
  } catch (error) {
    if (!(error instanceof FenestraError && error.code === 'BODY_DAMAGED')) throw error;
    // Sweeping may have moved it since this process last looked.
    rows.root.resetReadTxn();
    try {
      return await look();
    } catch (again) {
      if (again instanceof FenestraError && again.code === 'BODY_DAMAGED') noteDamage(rows, object.digest);
      throw again;
    }
  }
}

function placeOf(
  layout: Layout,
  rows: Rows,
  object: SiteObject,
): { readonly path: string; readonly start: number } {
  const place = rows.bodies.get(object.digest);
  if (!place) throw damaged(layout, object, 'the index does not know them');
  const { pack, offset } = place;
  return {
    path: pack === undefined ? largePath(layout, object.digest) : join(layout.packs, pack),
    start: offset,
  };
}

const asGone =
  (layout: Layout, object: SiteObject, path: string) =>
  (error: unknown): never => {
    throw systemCode(error) === 'ENOENT' ? damaged(layout, object, `${path} is gone`) : error;
  };

const damaged = (layout: Layout, { key }: SiteObject, reason: string): FenestraError =>
  new FenestraError('BODY_DAMAGED', { key, reason, path: layout.root });

/**
 * All bytes of a small object, read at once: handing each step to another thread takes longer than reading them.
 * @throws FenestraError BODY_DAMAGED when they are not the ones that were published
 */
export async function readSmallBody(layout: Layout, rows: Rows, object: SiteObject): Promise<Buffer> {
  if (object.size === 0) return Buffer.alloc(0);
  const { path, start, file } = await lookingTwice(rows, object, () => openSmall(layout, rows, object));
  // It may be kept for long, and of a shared block of memory would keep all.
  const bytes = Buffer.allocUnsafeSlow(object.size);
  let read = 0;
  try {
    for (let some = -1; some !== 0 && read < object.size; read += some)
      some = readSync(file, bytes, read, object.size - read, start + read);
  } finally {
    closeSync(file);
  }
  if (read === object.size && crypto.hash('sha256', bytes, 'hex') === object.digest) return bytes;
  noteDamage(rows, object.digest);
  throw damaged(layout, object, `${path} ${read < object.size ? 'is cut short' : 'holds other bytes'}`);
}

function openSmall(layout: Layout, rows: Rows, object: SiteObject) {
  const { path, start } = placeOf(layout, rows, object);
  try {
    return { path, start, file: openSync(path, 'r') };
  } catch (error) {
    return asGone(layout, object, path)(error);
  }
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

const MAX_SUMMED = 200;
const summed = new WeakMap<Rows, LRUCache<string, Buffer>>();

/** Bodies of the first format came without sums: the whole is proved once before a part of it is. */
async function sumUpUnknown(
  rows: Rows,
  body: OpenedBody,
  { digest }: SiteObject,
  wrong: () => FenestraError,
): Promise<Buffer> {
  let known = summed.get(rows);
  if (!known) summed.set(rows, (known = new LRUCache({ max: MAX_SUMMED })));
  const before = known.get(digest);
  if (before) return before;
  const now = await sumUp(readFrom(body, 0));
  if (now.digest !== digest) throw wrong();
  known.set(digest, now.sums);
  return now.sums;
}
