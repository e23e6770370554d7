/** A release laid out for a plain web server: what the public may read, as files alone, without any coding. */
import { createHash } from 'node:crypto';
import { createWriteStream, mkdirSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { createBrotliDecompress, createGunzip } from 'node:zlib';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { listPlainDifferences, type PlainDifference } from '../../core/release/plain-server.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { findMeetingNames } from '../../disk/meeting-names.js';
import { makeFolder } from '../../files/make-folder.js';
import type { Snapshot } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import {
  assertFolder,
  assertOutside,
  damagedBody,
  exportedOf,
  listExporting,
  placeFile,
  type Exported,
  type ExportInput,
} from './export-bucket.js';

export interface ExportedSite extends Exported {
  readonly differences: readonly PlainDifference[];
}

/** @throws FenestraError EXPORT_REFUSED before anything is written, EXPORT_FAILED, BODY_DAMAGED */
export async function exportSite(
  snapshot: Snapshot,
  { folder, site, isReadable }: ExportInput,
  progress: Progress,
): Promise<ExportedSite> {
  assertOutside(folder, site);
  assertFolder(folder);
  const all = await listExporting(snapshot, { isReadable, readableAlone: false });
  const laidOut = all.filter(({ readable }) => readable);
  const objects = laidOut.map(({ object }) => object);
  const exported = exportedOf(snapshot, laidOut);
  progress.step('export', { bytes: exported.bytes, objects: objects.length });
  let [bytes, done] = [0, 0];
  try {
    makeFolder(folder);
    const meeting = findMeetingNames(
      folder,
      objects.map(({ key }) => key),
    );
    if (meeting)
      throw new FenestraError('EXPORT_REFUSED', {
        folder,
        reason: `its file system takes ${JSON.stringify(meeting[0])} and ${JSON.stringify(meeting[1])} for the same file`,
      });
    const temporary = join(folder, `.new-${process.pid}-${Date.now().toString(36)}`);
    for (const object of objects) {
      await writePlain(snapshot, object, join(folder, object.key), temporary);
      progress.advance((bytes += object.size), ++done);
    }
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw new FenestraError('EXPORT_FAILED', { folder, reason: reasonInWords(error) }, error);
  }
  const hidden = all.filter(({ readable }) => !readable).map(({ object }) => object.key);
  return { ...exported, differences: listPlainDifferences(objects, hidden, snapshot.state.settings) };
}

const decoderOf = (coding: string | undefined): ReturnType<typeof createGunzip> | undefined =>
  coding === 'gzip' ? createGunzip() : coding === 'br' ? createBrotliDecompress() : undefined;

/** Under a temporary name until its bytes are known to be the object's own. */
async function writePlain(
  snapshot: Snapshot,
  object: StoredObject,
  path: string,
  temporary: string,
): Promise<void> {
  mkdirSync(dirname(path), { recursive: true });
  const hash = createHash('sha256');
  async function* pieces(): AsyncGenerator<Uint8Array> {
    if (object.size === 0) return;
    for await (const piece of snapshot.read(object)) {
      hash.update(piece);
      yield piece;
    }
  }
  const decoder = decoderOf(object.headers['Content-Encoding']);
  try {
    const file = createWriteStream(temporary, { flags: 'wx' });
    await (decoder ? pipeline(pieces, decoder, file) : pipeline(pieces, file));
    if (hash.digest('hex') !== object.digest) throw damagedBody(object.key, temporary);
    placeFile(temporary, path, object);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}
