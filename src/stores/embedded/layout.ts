/** Where the embedded store keeps things, and the guard that it is ours and whole before LMDB maps it. */
import {
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  readdirSync,
  renameSync,
  statSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';

export interface Layout {
  readonly root: string;
  readonly rows: string;
  readonly packs: string;
  readonly large: string;
}

const MARKER = 'fenestra-store.json';
const FORMAT = 1;
// MDB_MAGIC as LMDB writes it in its first two pages, after the page header.
const LMDB_MAGIC = 0xbeefc0de;
export const PAGE_SIZE = 4096;

export const layoutOf = (root: string): Layout => ({
  root,
  rows: join(root, 'rows.lmdb'),
  packs: join(root, 'packs'),
  large: join(root, 'large'),
});

/** Whether a store was ever made there. */
export const storeExists = (root: string): boolean => existsSync(join(root, MARKER));

/** Makes the folders and the marker of a new store, or checks that what is there is a store of ours, unharmed. */
export function prepareLayout(root: string): Layout {
  const layout = layoutOf(root);
  const marker = join(root, MARKER);
  try {
    mkdirSync(root, { recursive: true });
    if (!existsSync(marker)) {
      if (readdirSync(root).length > 0) {
        throw new FenestraError('STORE_NOT_OURS', { path: root, reason: 'the folder holds other files' });
      }
      writeDurably(marker, JSON.stringify({ format: FORMAT }) + '\n');
    }
    mkdirSync(layout.packs, { recursive: true });
    mkdirSync(layout.large, { recursive: true });
  } catch (error) {
    throw asStoreError(error, root);
  }
  guardLayout(layout);
  return layout;
}

/** @throws FenestraError STORE_DAMAGED, STORE_NOT_OURS */
export function guardLayout({ root, rows }: Layout): void {
  checkMarker(join(root, MARKER), root);
  checkRows(rows);
}

function checkMarker(marker: string, root: string): void {
  let format: unknown;
  try {
    format = (JSON.parse(readFileSync(marker, 'utf8')) as { format?: unknown }).format;
  } catch {
    throw new FenestraError('STORE_DAMAGED', {
      what: `${marker} does not read as a store's marker`,
      path: root,
    });
  }
  if (format !== FORMAT) {
    throw new FenestraError('STORE_NOT_OURS', {
      path: root,
      reason: `its format is ${String(format)}, this Fenestra reads ${FORMAT}`,
    });
  }
}

// A damaged file would end the process from inside LMDB, so its head is looked at first.
function checkRows(path: string): void {
  if (!existsSync(path)) return;
  const { size } = statSync(path);
  if (size === 0) return;
  const head = Buffer.alloc(PAGE_SIZE + 256);
  const file = openSync(path, 'r');
  try {
    const read = readSync(file, head, 0, head.length, 0);
    const damaged = (why: string): FenestraError =>
      new FenestraError('STORE_DAMAGED', { what: `${path} ${why}`, path });
    if (read < head.length) throw damaged(`is cut short at ${size} bytes`);
    // The magic follows a page header of 16 or 24 bytes, depending on how LMDB was built.
    const metaAt = (page: number): number =>
      [16, 24].map((at) => page + at).find((at) => head.readUInt32LE(at) === LMDB_MAGIC) ?? -1;
    if (metaAt(0) < 0) throw damaged('does not begin as a database does');
    if (metaAt(PAGE_SIZE) < 0) throw damaged('has a damaged second page');
    if (size % PAGE_SIZE !== 0) throw damaged(`is cut off in the middle of a page, at ${size} bytes`);
    const pages = Math.max(...[0, PAGE_SIZE].map((page) => lastPage(head, metaAt(page)))) + 1;
    if (size < pages * PAGE_SIZE) throw damaged(`has ${size} bytes where ${pages * PAGE_SIZE} are in use`);
  } finally {
    closeSync(file);
  }
}

/** MDB_meta: magic, version, address, map size, two MDB_db of 48 bytes, then the last page in use. */
const lastPage = (head: Buffer, meta: number): number =>
  Number(head.readBigUInt64LE(meta + 4 + 4 + 8 + 8 + 2 * 48));

/** Writes a small file whole: temporary name, fsync, rename. */
export function writeDurably(path: string, text: string): void {
  const temporary = `${path}.${process.pid}.new`;
  const file = openSync(temporary, 'w');
  try {
    writeSync(file, text);
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
  renameSync(temporary, path);
}

/** Turns a system error met while writing the store into one that names the store. */
export function asStoreError(error: unknown, path: string): unknown {
  if (error instanceof FenestraError) return error;
  const code = systemCode(error);
  const text = error instanceof Error ? error.message : String(error);
  if (code === 'ENOSPC' || code === 'EDQUOT' || /commit failed|no space|MDB_MAP_FULL|ENOSPC/i.test(text)) {
    return new FenestraError('STORE_FULL', { path }, error);
  }
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS' || code === 'ENOTDIR' || code === 'EIO') {
    return new FenestraError('STORE_UNWRITABLE', { path, reason: code }, error);
  }
  return error;
}
