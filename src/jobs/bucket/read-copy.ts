/** A copy of a release, as `bucket export` writes it: a folder of files with the list of what each is sent with. */
import { createHash } from 'node:crypto';
import { createReadStream, existsSync, lstatSync, realpathSync, statSync } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { parseExportedLine, type ExportedObject } from '../../core/release/exported-object.js';
import { compareKeys } from '../../core/site/key.js';
import { isWithin } from '../../disk/is-within.js';
import { HEADER_LIST } from '../../disk/own-files.js';
import type { Progress } from '../progress.js';

export interface CopiedObject extends ExportedObject {
  /** The file with its bytes, below the folder. */
  readonly path: string;
}

export interface Copy {
  /** Absolute. */
  readonly folder: string;
  /** In key order. */
  readonly objects: readonly CopiedObject[];
  /** Files that the list does not name. */
  readonly leftOut: number;
}

export const refuseCopy = (from: string, reason: string, cause?: unknown): FenestraError =>
  new FenestraError('IMPORT_REFUSED', { from, reason }, cause);

/** A line has a key of a kilobyte, a plain one, and some headers. */
const MAX_LINE = 64 * 1024;

/** @throws FenestraError IMPORT_REFUSED */
export async function readCopy(folder: string, progress: Progress): Promise<Copy> {
  const list = join(folder, HEADER_LIST);
  try {
    if (!statSync(folder).isDirectory()) throw refuseCopy(folder, 'it is no folder');
    if (!lstatSync(list).isFile()) throw refuseCopy(folder, `its ${HEADER_LIST} is no file`);
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    const isGone = systemCode(error) === 'ENOENT';
    const what = existsSync(folder) ? `it has no ${HEADER_LIST}` : 'it is not there';
    throw refuseCopy(folder, isGone ? what : reasonInWords(error), error);
  }
  const objects = await readList(list, folder);
  const sorted = sortObjects(objects, folder).map((object) => ({ ...object, path: object.key }));
  await assertBytes({ folder, objects: sorted }, progress);
  const there = await readdir(folder, { recursive: true, withFileTypes: true });
  const files = there.filter((entry) => !entry.isDirectory()).length - 1;
  return { folder, objects: sorted, leftOut: Math.max(0, files - sorted.length) };
}

/** @param from what is read, for errors @throws FenestraError IMPORT_REFUSED */
export async function readList(list: string, from: string): Promise<ExportedObject[]> {
  const objects: ExportedObject[] = [];
  let number = 0;
  const stream = createReadStream(list, { encoding: 'utf8' });
  let open = 0;
  // A line that has no end would be held whole.
  stream.on('data', (chunk) => {
    const piece = String(chunk);
    const last = piece.lastIndexOf('\n');
    open = last < 0 ? open + piece.length : piece.length - last;
    if (open > MAX_LINE) stream.destroy(new Error(`line ${number + 1} has no end`));
  });
  try {
    for await (const line of createInterface({ input: stream, crlfDelay: Infinity })) {
      number++;
      if (line.trim() === '') continue;
      const object = parseExportedLine(line);
      if (typeof object === 'string') throw refuseCopy(from, `line ${number} of ${HEADER_LIST} ${object}`);
      objects.push(object);
    }
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw refuseCopy(from, `${HEADER_LIST} cannot be read: ${reasonInWords(error)}`, error);
  }
  return objects;
}

/** In key order. @throws FenestraError IMPORT_REFUSED where a key is there twice, or none is */
export function sortObjects<T extends ExportedObject>(objects: readonly T[], from: string): T[] {
  if (objects.length === 0) throw refuseCopy(from, `${HEADER_LIST} names no object`);
  const sorted = [...objects].sort((a, b) => compareKeys(a.key, b.key));
  const twice = sorted.find(({ key }, at) => key === sorted[at - 1]?.key);
  if (twice) throw refuseCopy(from, `it has ${JSON.stringify(twice.key)} twice`);
  return sorted;
}

/** Each file has the bytes that the list says. @throws FenestraError IMPORT_REFUSED */
async function assertBytes(
  { folder, objects }: Pick<Copy, 'folder' | 'objects'>,
  progress: Progress,
): Promise<void> {
  progress.step('survey', {
    objects: objects.length,
    bytes: objects.reduce((sum, { size }) => sum + size, 0),
  });
  const root = realpathSync(folder);
  let [bytes, done] = [0, 0];
  for (const { key, path, size, digest } of objects) {
    const file = join(folder, path);
    try {
      const stat = lstatSync(file);
      if (!stat.isFile() || !isWithin(realpathSync(file), root))
        throw refuseCopy(folder, `${key} is no file in it`);
      if (stat.size !== size)
        throw refuseCopy(folder, `${key} has ${stat.size} bytes, and ${size} in ${HEADER_LIST}`);
      if ((await digestOf(file)) !== digest)
        throw refuseCopy(folder, `${key} has other bytes than ${HEADER_LIST} says`);
    } catch (error) {
      if (error instanceof FenestraError) throw error;
      throw refuseCopy(
        folder,
        systemCode(error) === 'ENOENT' ? `${key} is not there` : reasonInWords(error),
        error,
      );
    }
    progress.advance((bytes += size), ++done);
  }
}

async function digestOf(file: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const piece of createReadStream(file, { highWaterMark: 1 << 20 })) hash.update(piece as Buffer);
  return hash.digest('hex');
}
