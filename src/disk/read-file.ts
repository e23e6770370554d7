/** Reading site files, whole or as streams, compressed where they are to be published so. */
import { reasonInWords } from '../core/errors/system-error.js';
import { closeSync, createReadStream, fstatSync, openSync, readSync, type Stats } from 'node:fs';
import { PassThrough, pipeline, type Readable } from 'node:stream';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import type { Encoding } from '../core/assign/properties.js';
import type { FileStamp } from '../core/site/survey.js';
import { isOlder } from './time-step.js';
import { createEncoder, encodeBytes } from './encode.js';

/** Bytes up to which a file is read at once; above, it streams. */
export const WHOLE_LIMIT = 256 * 1024;

/**
 * @param into where to put the bytes when there is room for them: then what is returned is a part of it
 * @throws FenestraError FILE_UNREADABLE, or FILE_CHANGING when it shrinks or goes while it is read
 */
export function readWhole(path: string, limit = Infinity, into?: Buffer): Buffer {
  return withFile(path, (file) => {
    const size = Math.min(fstatSync(file).size, limit);
    const bytes = into && size <= into.length ? into.subarray(0, size) : Buffer.allocUnsafeSlow(size);
    fill(file, bytes, path);
    return bytes;
  });
}

function withFile<T>(path: string, work: (file: number) => T): T {
  let file: number;
  try {
    file = openSync(path, 'r');
  } catch (error) {
    throw asFileError(error, path);
  }
  try {
    return work(file);
  } catch (error) {
    throw asFileError(error, path);
  } finally {
    closeSync(file);
  }
}

/** Reads from the first byte on until there is no more room. @throws FenestraError FILE_CHANGING */
function fill(file: number, bytes: Buffer, path: string): void {
  for (let at = 0; at < bytes.length;) {
    const read = readSync(file, bytes, at, bytes.length - at, at);
    if (read === 0) throw new FenestraError('FILE_CHANGING', { path });
    at += read;
  }
}

export function asFileError(error: unknown, path: string): unknown {
  if (error instanceof FenestraError) return error;
  const code = systemCode(error);
  if (code === 'ENOENT') return new FenestraError('FILE_CHANGING', { path }, error);
  return new FenestraError('FILE_UNREADABLE', { path, reason: reasonInWords(error) }, error);
}

const GZIP_MAGIC = Buffer.from([0x1f, 0x8b]);

/** Whether bytes are already compressed as a rule wants them: gzip by its first bytes, br by the name alone. */
export const isAlreadyEncoded = (path: string, head: Buffer, encoding: Encoding): boolean =>
  encoding === 'gzip' ? head.subarray(0, 2).equals(GZIP_MAGIC) : /\.br$/i.test(path);

/** The bytes as they are published. @param into as with `readWhole` */
export function readPublished(path: string, encoding: Encoding | undefined, into?: Buffer): Buffer {
  const raw = readWhole(path, Infinity, into);
  return encoding === undefined || isAlreadyEncoded(path, raw, encoding) ? raw : encodeBytes(raw, encoding);
}

/** The bytes as they are published, as a stream that fails with FenestraErrors. */
export function streamPublished(path: string, encoding: Encoding | undefined): Readable {
  const source = createReadStream(path, { highWaterMark: 1 << 19 });
  const out = new PassThrough({ highWaterMark: 1 << 19 });
  const done = (error: unknown): void => {
    if (error) out.destroy(asFileError(error, path) as Error);
  };
  if (encoding === undefined || isAlreadyEncoded(path, readWhole(path, 2), encoding))
    pipeline(source, out, done);
  else pipeline(source, createEncoder(encoding), out, done);
  return out;
}

/** The bytes as they are published, from one of them on. */
export async function* piecesFrom(
  path: string,
  encoding: Encoding | undefined,
  from: number,
): AsyncGenerator<Buffer> {
  const plain = encoding === undefined || isAlreadyEncoded(path, readWhole(path, 2), encoding);
  let at = plain ? from : 0;
  const source = plain
    ? createReadStream(path, { start: from, highWaterMark: 1 << 18 })
    : streamPublished(path, encoding);
  try {
    for await (const piece of source as AsyncIterable<Buffer>) {
      if (at + piece.length > from) yield piece.subarray(Math.max(0, from - at));
      at += piece.length;
    }
  } catch (error) {
    throw asFileError(error, path);
  }
}

/** The bytes as they are published, piece by piece; plain ones are read synchronously, which is fastest. A piece is only good until the next. */
export function piecesPublished(
  path: string,
  encoding: Encoding | undefined,
): Iterable<Buffer> | AsyncIterable<Buffer> {
  return encoding === undefined || isAlreadyEncoded(path, readWhole(path, 2), encoding)
    ? readPieces(path)
    : (streamPublished(path, encoding) as AsyncIterable<Buffer>);
}

function* readPieces(path: string): Generator<Buffer> {
  const piece = Buffer.allocUnsafeSlow(1 << 20);
  let file: number;
  try {
    file = openSync(path, 'r');
  } catch (error) {
    throw asFileError(error, path);
  }
  try {
    for (;;) {
      const read = readSync(file, piece, 0, piece.length, null);
      if (read === 0) return;
      yield piece.subarray(0, read);
    }
  } catch (error) {
    throw asFileError(error, path);
  } finally {
    closeSync(file);
  }
}

/**
 * A surveyed file, ready to be published. Bytes whose file still has the size, times and inode of the survey are
 * the bytes that were hashed then, so they need no second hashing.
 */
export function openPublished(
  path: string,
  stamp: FileStamp,
  surveyedAt: number,
  encoding: Encoding | undefined,
) {
  return {
    path,
    read: (into?: Buffer): { bytes: Buffer; verified: boolean } =>
      encoding === undefined
        ? readStamped(path, stamp, surveyedAt, into)
        : { bytes: readPublished(path, encoding, into), verified: false },
    pieces: () => piecesPublished(path, encoding),
  };
}

/** Reads a file whole, and looks with the same handle whether it still is the one that was surveyed. */
function readStamped(
  path: string,
  stamp: FileStamp,
  surveyedAt: number,
  into?: Buffer,
): { bytes: Buffer; verified: boolean } {
  return withFile(path, (file) => {
    const bytes = into?.length === stamp.size ? into : Buffer.allocUnsafeSlow(fstatSync(file).size);
    fill(file, bytes, path);
    // After the bytes, so that a write in between is seen.
    const now = fstatSync(file);
    if (now.size !== bytes.length) throw new FenestraError('FILE_CHANGING', { path });
    return { bytes, verified: isSameStamp(now, stamp) && isOlder(stamp, surveyedAt) };
  });
}

const isSameStamp = (now: Stats, stamp: FileStamp): boolean =>
  now.size === stamp.size &&
  now.mtimeMs === stamp.mtimeMs &&
  now.ctimeMs === stamp.ctimeMs &&
  now.ino === stamp.inode;
