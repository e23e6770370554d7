/** Many files to read, in columns over shared memory: a second thread reads them without a copy of its own. */
import { join } from 'node:path';
import type { Encoding } from '../core/assign/properties.js';

export interface FileToFingerprint {
  /** Absolute. */
  readonly path: string;
  readonly size: number;
  readonly contentType: string;
  readonly encoding: Encoding | undefined;
}

/** Can be handed to another thread as it is. */
export interface FileColumns {
  /** Absolute path of the folder that all names are below. */
  readonly folder: string;
  readonly count: number;
  /** Relative paths, one after the other, as UTF-8. */
  readonly names: Uint8Array;
  /** Where each path ends. */
  readonly ends: Uint32Array;
  readonly sizes: Float64Array;
  /** The place of each file's kind in the list of kinds. */
  readonly kindOf: Uint32Array;
  readonly kinds: readonly { readonly contentType: string; readonly encoding: Encoding | undefined }[];
}

/** Lists files whose contents are to be read as what was decided for them. */
export function packFiles(
  folder: string,
  files: Iterable<{ readonly path: string; readonly size: number }>,
  decided: readonly { readonly contentType: string; readonly encoding: Encoding | undefined }[],
): FileColumns {
  const count = decided.length;
  const sizes = new Float64Array(new SharedArrayBuffer(count * 8));
  const ends = new Uint32Array(new SharedArrayBuffer(count * 4));
  const kindOf = new Uint32Array(new SharedArrayBuffer(count * 4));
  const kinds: FileColumns['kinds'][number][] = [];
  const places = new Map<string, number>();
  let names = Buffer.alloc(Math.max(1, count) * 48);
  let row = 0;
  let end = 0;
  for (const { path, size } of files) {
    if (end + path.length * 3 > names.length) {
      const larger = Buffer.alloc(2 * names.length + path.length * 3);
      names.copy(larger, 0, 0, end);
      names = larger;
    }
    end += names.write(path, end);
    ends[row] = end;
    sizes[row] = size;
    const kind = decided[row] ?? { contentType: '', encoding: undefined };
    const name = `${kind.encoding ?? ''} ${kind.contentType}`;
    let place = places.get(name);
    if (place === undefined) places.set(name, (place = kinds.push(kind) - 1));
    kindOf[row++] = place;
  }
  const shared = new Uint8Array(new SharedArrayBuffer(end));
  shared.set(names.subarray(0, end));
  return { folder, count, names: shared, ends, sizes, kindOf, kinds };
}

export function fileAt(columns: FileColumns, row: number): FileToFingerprint {
  const { folder, names, ends, sizes, kindOf, kinds } = columns;
  const start = row === 0 ? 0 : (ends[row - 1] ?? 0);
  const path = Buffer.from(names.buffer, names.byteOffset, names.length).toString('utf8', start, ends[row]);
  const kind = kinds[kindOf[row] ?? 0];
  return {
    path: join(folder, path),
    size: sizes[row] ?? 0,
    contentType: kind?.contentType ?? '',
    encoding: kind?.encoding,
  };
}
