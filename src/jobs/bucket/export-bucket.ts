/** A release written as files, with what an address answers beside its bytes in a list: a site can be taken elsewhere. */
import { createHash } from 'node:crypto';
import {
  closeSync,
  mkdirSync,
  openSync,
  readdirSync,
  renameSync,
  rmSync,
  utimesSync,
  writeSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Snapshot } from '../../stores/port.js';
import type { Progress } from '../progress.js';

/** The list beside the files: one line of JSON an object, in key order. */
export const HEADER_LIST = 'headers.jsonl';

export interface Exported {
  readonly release: number;
  readonly objects: number;
  readonly bytes: number;
}

/** One line of the list. */
export interface ExportedObject {
  readonly key: string;
  /** The key under its plain name, where `key` is a versioned one. */
  readonly plainKey?: string;
  /** Bytes, as they are stored and sent. */
  readonly size: number;
  /** SHA-256, hexadecimal. */
  readonly digest: string;
  readonly headers: StoredObject['headers'];
}

/**
 * Writes the objects of a release below a folder that is empty or not there yet; what waits to be removed is left out.
 * @param folder absolute path
 * @throws FenestraError EXPORT_REFUSED before anything is written, EXPORT_FAILED, BODY_DAMAGED
 */
export async function exportRelease(
  snapshot: Snapshot,
  folder: string,
  progress: Progress,
): Promise<Exported> {
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) if (!object.waits) objects.push(object);
  needFolder(folder);
  needFileNames(objects);
  const all = objects.reduce((sum, { size }) => sum + size, 0);
  progress.step('export', { bytes: all, objects: objects.length });
  let bytes = 0;
  try {
    mkdirSync(folder, { recursive: true });
    for (const [done, object] of objects.entries()) {
      await writeObject(snapshot, object, join(folder, object.key));
      progress.advance((bytes += object.size), done + 1);
    }
    writeList(objects, join(folder, HEADER_LIST));
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw new FenestraError('EXPORT_FAILED', { folder, reason: reasonInWords(error) }, error);
  }
  return { release: snapshot.state.release, objects: objects.length, bytes };
}

/** @throws FenestraError EXPORT_REFUSED */
function needFolder(folder: string): void {
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
function needFileNames(objects: readonly StoredObject[]): void {
  const folders = new Set<string>();
  for (const { key } of objects)
    for (let at = key.indexOf('/'); at >= 0; at = key.indexOf('/', at + 1)) folders.add(key.slice(0, at));
  for (const { key } of objects) {
    const isPath = !/(?:^|\/)(?:\.{0,2})(?:\/|$)|[\0\\]/.test(key);
    const reason = !isPath
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
async function writeObject(snapshot: Snapshot, object: StoredObject, path: string): Promise<void> {
  mkdirSync(dirname(path), { recursive: true });
  const temporary = `${path}.${process.pid}.new`;
  const hash = createHash('sha256');
  const file = openSync(temporary, 'wx');
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
    if (hash.digest('hex') !== object.digest)
      throw new FenestraError('BODY_DAMAGED', {
        key: object.key,
        reason: 'its bytes have another digest than was published',
        path: temporary,
      });
    utimesSync(temporary, object.since / 1000, object.since / 1000);
    renameSync(temporary, path);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}

function writeList(objects: readonly StoredObject[], path: string): void {
  const file = openSync(path, 'wx');
  try {
    for (const { key, plain, size, digest, headers } of objects) {
      const line: ExportedObject = {
        key,
        ...(plain === undefined ? {} : { plainKey: plain }),
        size,
        digest,
        headers,
      };
      writeSync(file, `${JSON.stringify(line)}\n`);
    }
  } finally {
    closeSync(file);
  }
}
