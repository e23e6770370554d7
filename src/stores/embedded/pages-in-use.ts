/**
 * Which pages of an LMDB file are in use: its file may be shorter than the last page that it counts, when the pages at
 * the end were given back before they were ever written. LMDB itself would be ended by the system where a page that is
 * in use lies past the end, so this is found out by reading.
 */
import { readSync } from 'node:fs';

/** MDB_page_header: number and transaction (8 bytes each), padding, flags, bounds of the free space. */
const HEADER = 24;
const BRANCH = 0x01;
const LEAF = 0x02;
/** MDB_node: two halves of a size or page number, flags, the key's length. */
const NODE = 8;
const BIG_DATA = 0x01;
const SUB_DATA = 0x02;
/** MDB_db: its root comes last. */
const DB_SIZE = 48;
const DB_ROOT = 40;
const NO_PAGE = 0xffff_ffff_ffff_ffffn;

/**
 * Whether every page that a tree leads to lies within the file and reads as a page.
 * @param databases the two MDB_db of a snapshot, as they stand in its meta page
 */
export function allWithin(file: number, size: number, pageSize: number, databases: Buffer): boolean {
  const pages = Math.floor(size / pageSize);
  const page = Buffer.alloc(pageSize);
  const waiting: number[] = [];
  let seen = 0;
  const within = (first: number, count = 1): boolean => first >= 2 && count >= 1 && first + count <= pages;
  const addRoot = (database: Buffer): boolean => {
    const root = database.readBigUInt64LE(DB_ROOT);
    if (root !== NO_PAGE) waiting.push(Number(root));
    return true;
  };
  const readNode = (at: number, branch: boolean): boolean => {
    const low = page.readUInt32LE(at);
    const flags = page.readUInt16LE(at + 4);
    if (branch) return waiting.push(low + flags * 2 ** 32) > 0;
    const data = at + NODE + page.readUInt16LE(at + 6);
    if ((flags & SUB_DATA) !== 0) return addRoot(page.subarray(data, data + DB_SIZE));
    if ((flags & BIG_DATA) === 0) return true;
    return within(Number(page.readBigUInt64LE(data)), Number(page.readBigUInt64LE(data + 16)));
  };
  const readPage = (): boolean => {
    const flags = page.readUInt16LE(18) & (BRANCH | LEAF);
    if (flags !== BRANCH && flags !== LEAF) return false;
    const nodes = page.readUInt16LE(20) / 2;
    for (let node = 0; node < nodes; node++)
      if (!readNode(HEADER + page.readUInt16LE(HEADER + 2 * node), flags === BRANCH)) return false;
    return true;
  };
  try {
    addRoot(databases.subarray(0, DB_SIZE));
    addRoot(databases.subarray(DB_SIZE, 2 * DB_SIZE));
    for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
      // A page that is met more often than there are pages is met in a circle.
      if (!within(next) || ++seen > pages) return false;
      if (readSync(file, page, 0, pageSize, next * pageSize) < pageSize || !readPage()) return false;
    }
    return true;
  } catch (error) {
    // Reading past the end of a page.
    if (error instanceof RangeError) return false;
    throw error;
  }
}
