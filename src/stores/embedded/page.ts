/** How LMDB lays out a page of its file: what the check before opening reads of it. Little-endian, 64 bits. */
import { FenestraError } from '../../core/errors/catalogue.js';

export const PAGE_SIZE = 4096;

/** MDB_page_header: number and transaction (8 bytes each), padding, flags, bounds of the free space. */
export const HEADER = 24;
const BRANCH = 0x01;
const LEAF = 0x02;
const OVERFLOW = 0x04;
/** MDB_node: two halves of a size or page number, flags, the key's length. */
const NODE = 8;
const BIG_DATA = 0x01;
const SUB_DATA = 0x02;

/** MDB_db, the head of a tree. */
export interface TreeHead {
  readonly keySize: number;
  readonly flags: number;
  readonly depth: number;
  readonly branches: number;
  readonly leaves: number;
  readonly overflows: number;
  readonly entries: number;
  /** Undefined when the tree is empty. */
  readonly root: number | undefined;
}

export const TREE_HEAD = 48;
const NO_PAGE = 0xffff_ffff_ffff_ffffn;

export function readTreeHead(bytes: Buffer): TreeHead {
  const root = bytes.readBigUInt64LE(40);
  return {
    keySize: bytes.readUInt32LE(0),
    flags: bytes.readUInt16LE(4),
    depth: bytes.readUInt16LE(6),
    branches: Number(bytes.readBigUInt64LE(8)),
    leaves: Number(bytes.readBigUInt64LE(16)),
    overflows: Number(bytes.readBigUInt64LE(24)),
    entries: Number(bytes.readBigUInt64LE(32)),
    root: root === NO_PAGE ? undefined : Number(root),
  };
}

export interface BranchNode {
  readonly key: Buffer;
  readonly page: number;
}

export interface LeafNode {
  readonly key: Buffer;
  /** What the value is: itself, the head of another tree, or the place of pages of its own. */
  readonly kind: 'value' | 'tree' | 'pages';
  readonly data: Buffer;
  /** Length of the value in bytes, wherever it lies. */
  readonly size: number;
}

/** Ends the reading of a page that is none. */
export class BadPage extends Error {}

const need = (whole: boolean, what: string): void => {
  if (!whole) throw new BadPage(what);
};

/** The places of a page's nodes, each within the page and none over another. @throws BadPage, RangeError */
function placesOf(page: Buffer, number: number, kind: number, latest: bigint): number[] {
  need(page.readBigUInt64LE(0) === BigInt(number), 'has another number');
  need(page.readBigUInt64LE(8) <= latest, 'was written later than the database');
  need(page.readUInt16LE(18) === kind, 'is of another kind');
  const lower = page.readUInt16LE(20);
  const upper = page.readUInt16LE(22);
  need(lower % 2 === 0 && lower <= upper && upper <= PAGE_SIZE - HEADER, 'has its free space elsewhere');
  const places: number[] = [];
  for (let at = HEADER; at < HEADER + lower; at += 2) places.push(HEADER + page.readUInt16LE(at));
  return places;
}

/** @param latest the transaction that the database is at @throws BadPage, RangeError */
export function readBranch(page: Buffer, number: number, latest: bigint): BranchNode[] {
  let used = 0;
  const nodes = placesOf(page, number, BRANCH, latest).map((at) => {
    const keySize = page.readUInt16LE(at + 6);
    used += even(NODE + keySize);
    need(at + NODE + keySize <= PAGE_SIZE, 'has a key that goes on past its end');
    return {
      key: page.subarray(at + NODE, at + NODE + keySize),
      page: page.readUInt32LE(at) + page.readUInt16LE(at + 4) * 2 ** 32,
    };
  });
  need(nodes.length >= 2, 'leads to less than two pages');
  assertAllUsed(page, used);
  return nodes;
}

/** @param latest the transaction that the database is at @throws BadPage, RangeError */
export function readLeaf(page: Buffer, number: number, latest: bigint): LeafNode[] {
  let used = 0;
  const nodes = placesOf(page, number, LEAF, latest).map((at): LeafNode => {
    const size = page.readUInt32LE(at);
    const flags = page.readUInt16LE(at + 4);
    const keySize = page.readUInt16LE(at + 6);
    need(flags === 0 || flags === BIG_DATA || flags === SUB_DATA, 'has an entry of an unknown kind');
    const data = at + NODE + keySize;
    const inPage = flags === BIG_DATA ? OVERFLOW_PLACE : size;
    need(data + inPage <= PAGE_SIZE, 'has an entry that goes on past its end');
    need(flags !== SUB_DATA || size === TREE_HEAD, 'has a tree without a head');
    used += even(NODE + keySize + inPage);
    return {
      key: page.subarray(at + NODE, data),
      kind: flags === BIG_DATA ? 'pages' : flags === SUB_DATA ? 'tree' : 'value',
      data: page.subarray(data, data + inPage),
      size,
    };
  });
  need(nodes.length >= 1, 'is empty');
  assertAllUsed(page, used);
  return nodes;
}

const even = (size: number): number => size + (size % 2);

/** What the nodes take is exactly what is not free, so that none lies over another. */
function assertAllUsed(page: Buffer, used: number): void {
  need(used === PAGE_SIZE - HEADER - page.readUInt16LE(22), 'has entries that lie over each other');
}

/** MDB_ovpage: the first page, its transaction, how many there are. */
const OVERFLOW_PLACE = 24;

/** Where a value has pages of its own. @throws BadPage, RangeError */
export function readOverflowPlace({ data, size }: LeafNode): {
  readonly first: number;
  readonly count: number;
} {
  const first = Number(data.readBigUInt64LE(0));
  const count = Number(data.readBigUInt64LE(16));
  need(count === Math.ceil((HEADER + size) / PAGE_SIZE), 'has a value of another length');
  return { first, count };
}

/** The value in pages of its own. @throws BadPage */
export function readOverflow(pages: Buffer, first: number, size: number, latest: bigint): Buffer {
  need(pages.readBigUInt64LE(0) === BigInt(first), 'has another number');
  need(pages.readBigUInt64LE(8) <= latest, 'was written later than the database');
  need((pages.readUInt16LE(18) & OVERFLOW) !== 0, 'is of another kind');
  need(pages.readUInt32LE(20) === pages.length / PAGE_SIZE, 'counts other pages');
  return pages.subarray(HEADER, HEADER + size);
}

/** MDB_meta, after a page header: what stands in the first two pages. */
export interface Meta {
  readonly free: TreeHead;
  readonly main: TreeHead;
  readonly lastPage: number;
  readonly transaction: bigint;
}

// MDB_MAGIC as LMDB writes it.
const MAGIC = 0xbeefc0de;
const VERSION = 2;
const META_PAGE = 0x08;
const MAX_MAP = 2n ** 47n;

/** @throws BadPage, RangeError */
export function readMeta(page: Buffer, number: number): Meta {
  need(
    page.readUInt32LE(HEADER) === MAGIC,
    number === 0 ? 'does not begin as a database does' : 'has a damaged second page',
  );
  need(page.readBigUInt64LE(0) === BigInt(number), 'has another number');
  need((page.readUInt16LE(18) & META_PAGE) !== 0, 'is of another kind');
  need((page.readUInt32LE(HEADER + 4) & 0xffff) === VERSION, 'is of another version');
  need(page.readBigUInt64LE(HEADER + 16) <= MAX_MAP, 'is larger than memory can be');
  const trees = HEADER + 24;
  const free = readTreeHead(page.subarray(trees, trees + TREE_HEAD));
  const main = readTreeHead(page.subarray(trees + TREE_HEAD, trees + 2 * TREE_HEAD));
  const rest = trees + 2 * TREE_HEAD;
  need(free.keySize === PAGE_SIZE, 'has pages of another size');
  return {
    free,
    main,
    lastPage: Number(page.readBigUInt64LE(rest)),
    transaction: page.readBigUInt64LE(rest + 8),
  };
}

export const damagedDatabase = (path: string, fault: string): FenestraError =>
  new FenestraError('STORE_DAMAGED', { what: `${path} ${fault}`, path });
