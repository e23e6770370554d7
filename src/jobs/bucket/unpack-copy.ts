/** A copy of a release in a tar archive, unpacked into a folder of its own under names that the archive has no say in. */
import { createReadStream, createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { parseAttributes, type ExportedObject } from '../../core/release/exported-object.js';
import { HEADER_LIST } from '../../disk/own-files.js';
import { makeScratchFolder } from '../../files/scratch-folder.js';
import type { Progress } from '../progress.js';
import { readList, refuseCopy, sortObjects, type Copy, type CopiedObject } from './read-copy.js';

interface Unpacked {
  readonly path: string;
  readonly size: number;
  readonly digest: string;
  readonly attributes: Readonly<Record<string, string>>;
}

/**
 * @param file a path, or - for the standard input
 * @returns the copy with what removes its folder
 * @throws FenestraError IMPORT_REFUSED
 */
export async function unpackCopy(
  file: string,
  progress: Progress,
): Promise<{ readonly copy: Copy; readonly remove: () => void }> {
  const { folder, remove } = makeScratchFolder();
  try {
    progress.step('survey');
    const files = await unpack(file, folder, progress);
    const list = files.get(HEADER_LIST);
    files.delete(HEADER_LIST);
    const said = list ? await readList(join(folder, list.path), file) : fromAttributes(files, file);
    const objects = sortObjects(said, file).map((object): CopiedObject => {
      const there = files.get(object.key);
      if (!there) throw refuseCopy(file, `${object.key} is not in it`);
      if (there.size !== object.size || there.digest !== object.digest)
        throw refuseCopy(file, `${object.key} has other bytes than is said of it`);
      return { ...object, path: there.path };
    });
    return { copy: { folder, objects, leftOut: files.size - objects.length }, remove };
  } catch (error) {
    remove();
    if (error instanceof FenestraError) throw error;
    throw refuseCopy(file, reasonInWords(error), error);
  }
}

function fromAttributes(files: ReadonlyMap<string, Unpacked>, from: string): ExportedObject[] {
  return [...files].map(([key, { size, attributes }]) => {
    const object = parseAttributes(key, size, attributes);
    if (typeof object === 'string') throw refuseCopy(from, `${JSON.stringify(key)} ${object}`);
    return object;
  });
}

/** Every file, by its name in the archive. */
async function unpack(file: string, folder: string, progress: Progress): Promise<Map<string, Unpacked>> {
  const { default: tar } = await import('tar-stream');
  const files = new Map<string, Unpacked>();
  const entries = tar.extract();
  const source: Readable = file === '-' ? process.stdin : createReadStream(file);
  const fed = (await isGzip(source)) ? pipeline(source, createGunzip(), entries) : pipeline(source, entries);
  // What fails is told where the entries are gone through.
  fed.catch(() => undefined);
  let bytes = 0;
  for await (const entry of entries) {
    const { name, type, size = 0, pax } = entry.header;
    const key = name.replace(/^(?:\.\/)+/, '').normalize('NFC');
    if (type === 'directory' || key === '') {
      entry.resume();
      continue;
    }
    if (type !== 'file' && type !== 'contiguous-file')
      throw refuseCopy(file, `${JSON.stringify(name)} is no file but a ${type ?? 'special one'}`);
    if (files.has(key)) throw refuseCopy(file, `it has ${JSON.stringify(key)} twice`);
    const path = String(files.size);
    const hash = createHash('sha256');
    entry.on('data', (piece) => hash.update(piece as Buffer));
    await pipeline(entry, createWriteStream(join(folder, path), { flags: 'wx', mode: 0o600 }));
    files.set(key, {
      path,
      size,
      digest: hash.digest('hex'),
      attributes: (pax ?? {}) as Readonly<Record<string, string>>,
    });
    progress.advance((bytes += size), files.size);
  }
  await fed;
  return files;
}

/** By its first bytes, whatever it is called. */
async function isGzip(source: Readable): Promise<boolean> {
  await once(source, 'readable');
  const head = source.read() as Buffer | null;
  if (head === null) return false;
  source.unshift(head);
  return head[0] === 0x1f && head[1] === 0x8b;
}
