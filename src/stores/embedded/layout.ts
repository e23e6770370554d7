/** Where the embedded store keeps things, and the guard that it is ours and whole before LMDB maps it. */
import {
  closeSync,
  existsSync,
  fstatSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  readdirSync,
} from 'node:fs';
import { join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { writeWhole } from '../../files/write-whole.js';
import { arePagesWithin } from './pages-in-use.js';

export interface Layout {
  readonly root: string;
  readonly rows: string;
  readonly packs: string;
  readonly large: string;
}

const MARKER = 'fenestra-store.json';
/** Drafts and private objects lie here: nobody else on this machine reads them. */
export const OWN_FOLDER = 0o700;
export const OWN_FILE = 0o600;
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

/** Where a body lies that has a file of its own. */
export const largePath = (layout: Layout, digest: string): string =>
  join(layout.large, digest.slice(0, 2), digest);

/** Whether a store was ever made there. */
export const storeExists = (root: string): boolean => existsSync(join(root, MARKER));

/** Makes the folders and the marker of a new store, or checks that what is there is a store of ours, unharmed. */
export function prepareLayout(root: string): Layout {
  const layout = layoutOf(root);
  const marker = join(root, MARKER);
  try {
    mkdirSync(root, { recursive: true, mode: OWN_FOLDER });
    if (!existsSync(marker)) {
      // Another process may be making the same store at this moment.
      const others = readdirSync(root).filter((name) => !name.startsWith(`${MARKER}.`));
      if (others.length > 0 && !existsSync(marker)) {
        throw new FenestraError('STORE_NOT_OURS', { path: root, reason: 'the folder holds other files' });
      }
      writeWhole(marker, JSON.stringify({ format: FORMAT }) + '\n', { durable: true, mode: OWN_FILE });
    }
    mkdirSync(layout.packs, { recursive: true, mode: OWN_FOLDER });
    mkdirSync(layout.large, { recursive: true, mode: OWN_FOLDER });
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
  const file = openSync(path, 'r');
  try {
    for (let looks = 1; ; looks++) {
      const head = Buffer.alloc(PAGE_SIZE + 256);
      const read = readSync(file, head, 0, head.length, 0);
      // Asked for after the head: whoever commits lets the file grow before the head tells of it.
      const { size } = fstatSync(file);
      if (size === 0) return;
      const fault = read < head.length ? `is cut short at ${size} bytes` : faultOf(file, head, size);
      if (fault === undefined) return;
      // Somebody who commits meanwhile writes over pages that were just read.
      const again = Buffer.alloc(head.length);
      const readAgain = readSync(file, again, 0, again.length, 0);
      if (looks === MOST_LOOKS || (readAgain === read && again.equals(head)))
        throw new FenestraError('STORE_DAMAGED', { what: `${path} ${fault}`, path });
    }
  } finally {
    closeSync(file);
  }
}

const MOST_LOOKS = 50;

function faultOf(file: number, head: Buffer, size: number): string | undefined {
  // The magic follows a page header of 16 or 24 bytes, depending on how LMDB was built.
  const metas = [0, PAGE_SIZE].map(
    (page) => [16, 24].map((at) => page + at).find((at) => head.readUInt32LE(at) === LMDB_MAGIC) ?? -1,
  );
  const [first = -1, second = -1] = metas;
  if (first < 0) return 'does not begin as a database does';
  if (second < 0) return 'has a damaged second page';
  if (size % PAGE_SIZE !== 0) return `is cut off in the middle of a page, at ${size} bytes`;
  const newest = transactionOf(head, first) > transactionOf(head, second) ? first : second;
  const pages = lastPage(head, newest) + 1;
  const databases = head.subarray(newest + DATABASES, newest + LAST_PAGE);
  if (size >= pages * PAGE_SIZE || arePagesWithin(file, size, PAGE_SIZE, databases)) return undefined;
  return `has ${size} bytes where ${pages * PAGE_SIZE} are in use`;
}

/** MDB_meta: magic, version, address, map size, two MDB_db of 48 bytes, the last page in use, the transaction. */
const DATABASES = 4 + 4 + 8 + 8;
const LAST_PAGE = DATABASES + 2 * 48;
const TRANSACTION = LAST_PAGE + 8;

const lastPage = (head: Buffer, meta: number): number => Number(head.readBigUInt64LE(meta + LAST_PAGE));

const transactionOf = (head: Buffer, meta: number): bigint => head.readBigUInt64LE(meta + TRANSACTION);

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
