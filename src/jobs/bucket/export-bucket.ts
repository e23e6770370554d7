/** A release written as files, with what an address answers beside its bytes in a list: a site can be taken elsewhere. */
import { createHash } from 'node:crypto';
import {
  closeSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  renameSync,
  rmdirSync,
  rmSync,
  utimesSync,
  writeSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { pageOfCopy } from '../../core/hosting/folder-copy.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import { exportedObject, isFilePath } from '../../core/release/exported-object.js';
import { plainKey, type StoredObject } from '../../core/site/site-object.js';
import { findMeetingNames } from '../../disk/meeting-names.js';
import { isWithin } from '../../disk/is-within.js';
import { HEADER_LIST } from '../../disk/own-files.js';
import type { Snapshot } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import { makeFolder } from '../../files/make-folder.js';

export interface Exported {
  readonly release: number;
  readonly objects: number;
  readonly bytes: number;
  /** Objects that nobody may read, and whose files their owner alone can. */
  readonly unreadable: number;
}

export interface ExportInput {
  /** Absolute path of a folder that is empty or not there yet. */
  readonly folder: string;
  /** Absolute path of the site folder, in which no export may lie. */
  readonly site: string;
  /** Whether the public may read a key. */
  readonly isReadable: (key: string) => boolean;
  /** Leaves out what nobody may read. */
  readonly readableAlone: boolean;
}

/**
 * Writes the objects of a release below a folder; what waits to be removed is left out.
 * @throws FenestraError EXPORT_REFUSED before anything is written, EXPORT_FAILED, BODY_DAMAGED
 */
export async function exportRelease(
  snapshot: Snapshot,
  { folder, site, isReadable, readableAlone }: ExportInput,
  progress: Progress,
): Promise<Exported> {
  assertOutside(folder, site);
  assertFolder(folder);
  const objects = await listExporting(snapshot, { isReadable, readableAlone });
  const all = objects.reduce((sum, { object }) => sum + object.size, 0);
  progress.step('export', { bytes: all, objects: objects.length });
  let bytes = 0;
  try {
    const isNew = !existsSync(folder);
    makeFolder(folder);
    const meeting = findMeetingNames(folder, [HEADER_LIST, ...objects.map(({ object }) => object.key)]);
    if (meeting) {
      if (isNew) rmdirSync(folder);
      throw new FenestraError('EXPORT_REFUSED', {
        folder,
        reason: `its file system takes ${JSON.stringify(meeting[0])} and ${JSON.stringify(meeting[1])} for the same file`,
      });
    }
    const temporary = join(folder, `.new-${process.pid}-${Date.now().toString(36)}`);
    for (const [done, exporting] of objects.entries()) {
      await writeObject(snapshot, exporting, join(folder, exporting.object.key), temporary);
      progress.advance((bytes += exporting.object.size), done + 1);
    }
    writeList(objects, join(folder, HEADER_LIST));
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw new FenestraError('EXPORT_FAILED', { folder, reason: reasonInWords(error) }, error);
  }
  return exportedOf(snapshot, objects);
}

export const exportedOf = ({ state }: Snapshot, objects: readonly Exporting[]): Exported => ({
  release: state.release,
  objects: objects.length,
  bytes: objects.reduce((sum, { object }) => sum + object.size, 0),
  unreadable: objects.filter(({ readable }) => !readable).length,
});

export interface Exporting {
  readonly object: StoredObject;
  readonly readable: boolean;
}

/** @throws FenestraError EXPORT_REFUSED */
export function assertOutside(path: string, site: string): void {
  if (isWithin(path, site))
    throw new FenestraError('EXPORT_REFUSED', {
      folder: path,
      reason: `it lies in the site folder ${site}, so the next publish would put it on the web, with what nobody may read`,
    });
}

/** In key order. @throws FenestraError EXPORT_REFUSED where a key can be no file */
export async function listExporting(
  snapshot: Snapshot,
  { isReadable, readableAlone }: Pick<ExportInput, 'isReadable' | 'readableAlone'>,
): Promise<Exporting[]> {
  const listed: Exporting[] = [];
  for await (const object of snapshot.objects()) {
    const readable = isReadable(plainKey(object));
    if (!object.waits && (readable || !readableAlone)) listed.push({ object, readable });
  }
  const objects = withoutFolderCopies(listed, snapshot.state.settings);
  assertFileNames(objects.map(({ object }) => object.key));
  return objects;
}

/** No file is named as its folder, and the page itself is there. */
function withoutFolderCopies(all: Exporting[], settings: BucketSettings): Exporting[] {
  if (!all.some(({ object }) => object.key.endsWith('/'))) return all;
  const byKey = new Map(all.map(({ object }) => [object.key, object]));
  const find = (key: string): StoredObject | undefined => byKey.get(key);
  return all.filter(({ object }) => !pageOfCopy({ settings, find }, object.key));
}

/** @throws FenestraError EXPORT_REFUSED */
export function assertFolder(folder: string): void {
  const refuse = (reason: string): FenestraError => new FenestraError('EXPORT_REFUSED', { folder, reason });
  try {
    if (readdirSync(folder).length > 0) throw refuse('it holds files already');
  } catch (error) {
    const code = systemCode(error);
    if (code === 'ENOTDIR') throw refuse('it is a file');
    if (code !== 'ENOENT') throw error instanceof FenestraError ? error : refuse(reasonInWords(error));
  }
}

/** Keys that a bucket can hold and a folder cannot. @throws FenestraError EXPORT_REFUSED */
function assertFileNames(keys: readonly string[]): void {
  const folders = new Set<string>();
  for (const key of keys)
    for (let at = key.indexOf('/'); at >= 0; at = key.indexOf('/', at + 1)) folders.add(key.slice(0, at));
  for (const key of keys) {
    const reason = !isFilePath(key)
      ? 'is no path of a file'
      : folders.has(key)
        ? 'is a file and a folder at once'
        : key === HEADER_LIST || key.startsWith(`${HEADER_LIST}/`)
          ? 'is the name of the list of headers'
          : undefined;
    if (reason !== undefined)
      throw new FenestraError('EXPORT_REFUSED', {
        folder: 'The folder',
        reason: `the key ${JSON.stringify(key)} ${reason}`,
      });
  }
}

/** Under a temporary name until its bytes are known to be the object's own. */
async function writeObject(
  snapshot: Snapshot,
  { object, readable }: Exporting,
  path: string,
  temporary: string,
): Promise<void> {
  mkdirSync(dirname(path), { recursive: true });
  const hash = createHash('sha256');
  const file = openSync(temporary, 'wx', readable ? 0o666 : OWNER_ALONE);
  try {
    try {
      if (object.size > 0)
        for await (const piece of snapshot.read(object)) {
          hash.update(piece);
          for (let at = 0; at < piece.length;) at += writeSync(file, piece, at);
        }
    } finally {
      closeSync(file);
    }
    if (hash.digest('hex') !== object.digest) throw damagedBody(object.key, temporary);
    placeFile(temporary, path, object);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}

export const OWNER_ALONE = 0o600;

/** Gives a file its name and its time. @throws FenestraError EXPORT_FAILED */
export function placeFile(temporary: string, path: string, { key, since }: StoredObject): void {
  utimesSync(temporary, since / 1000, since / 1000);
  // Whatever a file system takes for one name, nothing that was written is written over.
  if (existsSync(path))
    throw new FenestraError('EXPORT_FAILED', {
      folder: dirname(path),
      reason: `${JSON.stringify(key)} is there already`,
    });
  renameSync(temporary, path);
}

export const damagedBody = (key: string, path: string): FenestraError =>
  new FenestraError('BODY_DAMAGED', {
    key,
    reason: 'its bytes have another digest than was published',
    path,
  });

/** It names what nobody may read. */
function writeList(objects: readonly Exporting[], path: string): void {
  const hidden = objects.some(({ readable }) => !readable);
  const file = openSync(path, 'wx', hidden ? OWNER_ALONE : 0o666);
  try {
    for (const { object, readable } of objects) {
      writeSync(file, `${JSON.stringify(exportedObject(object, readable))}\n`);
    }
  } finally {
    closeSync(file);
  }
}
