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

/** Pages next to each other that a page leads to. */
interface PageRun {
  readonly first: number;
  readonly count: number;
  /** Whether it is one page that leads to further ones. */
  readonly leads: boolean;
}

/**
 * Whether every page that the trees lead to lies within the file and reads as a page.
 * @param databases the two MDB_db of a snapshot, as they stand in its meta page
 */
export function arePagesWithin(file: number, size: number, pageSize: number, databases: Buffer): boolean {
  const pages = Math.floor(size / pageSize);
  const page = Buffer.alloc(pageSize);
  const waiting: number[] = [];
  const note = ({ first, count, leads }: PageRun): boolean => {
    if (leads) waiting.push(first);
    return first >= 2 && count >= 1 && first + count <= pages;
  };
  try {
    const roots = [...rootOf(databases), ...rootOf(databases.subarray(DB_SIZE))];
    if (!roots.every(note)) return false;
    // A page that is met more often than there are pages is met in a circle.
    for (let met = 0; waiting.length > 0; met++) {
      const next = waiting.pop() ?? 0;
      const read = readSync(file, page, 0, pageSize, next * pageSize);
      if (met > pages || read < pageSize || ![...listRuns(page)].every(note)) return false;
    }
    return true;
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** @throws RangeError where it is no page of a tree */
function* listRuns(page: Buffer): Generator<PageRun> {
  const kind = page.readUInt16LE(18) & (BRANCH | LEAF);
  if (kind !== BRANCH && kind !== LEAF) throw new RangeError('neither branch nor leaf');
  const nodes = page.readUInt16LE(20) / 2;
  for (let node = 0; node < nodes; node++) {
    const at = HEADER + page.readUInt16LE(HEADER + 2 * node);
    const flags = page.readUInt16LE(at + 4);
    if (kind === BRANCH) {
      yield { first: page.readUInt32LE(at) + flags * 2 ** 32, count: 1, leads: true };
      continue;
    }
    const data = at + NODE + page.readUInt16LE(at + 6);
    if ((flags & SUB_DATA) !== 0) yield* rootOf(page.subarray(data));
    else if ((flags & BIG_DATA) !== 0) {
      const count = Number(page.readBigUInt64LE(data + 16));
      yield { first: Number(page.readBigUInt64LE(data)), count, leads: false };
    }
  }
}

/** The root of a tree; none when it is empty. */
function rootOf(database: Buffer): PageRun[] {
  const root = database.readBigUInt64LE(DB_ROOT);
  return root === NO_PAGE ? [] : [{ first: Number(root), count: 1, leads: true }];
}
