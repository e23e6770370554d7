/** Opening stored bodies, wherever sweeping has moved them. */
import { existsSync } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import type { StoredObject } from '../../core/site/site-object.js';
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
export async function openBody(layout: Layout, rows: Rows, object: StoredObject): Promise<OpenedBody> {
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

async function openWhereItLies(layout: Layout, rows: Rows, object: StoredObject): Promise<OpenedBody> {
  const { key, digest } = object;
  const gone = (reason: string): FenestraError =>
    new FenestraError('BODY_DAMAGED', { key, reason, path: layout.root });
  const place = rows.bodies.get(digest);
  if (!place) throw gone('the index does not know them');
  const path = place.length === 1 ? largePath(layout, digest) : join(layout.packs, place[0]);
  if (!existsSync(path)) throw gone(`${path} is gone`);
  return { path, start: place.length === 1 ? 0 : place[1], file: await open(path, 'r') };
}

/** Bytes `start` to `end` of an opened body, both included; closes it at the end. */
export const streamBody = (body: OpenedBody, start: number, end: number): Readable =>
  body.file.createReadStream({
    start: body.start + start,
    end: body.start + end,
    highWaterMark: 1 << 18,
  });
