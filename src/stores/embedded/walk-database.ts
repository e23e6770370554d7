/** Walks every page of a database that is in use, and the list of those that are free. */
import { readSync } from 'node:fs';
import {
  BadPage,
  PAGE_SIZE,
  readBranch,
  readLeaf,
  readOverflow,
  readOverflowPlace,
  readTreeHead,
  type LeafNode,
  type Meta,
  type TreeHead,
} from './page.js';
import { isRowWhole, nameRow } from './table.js';
import { FIRST_FORMAT_NAMES, TABLE_NAMES } from './table-names.js';

type Order = (one: Buffer, other: Buffer) => number;
type Visit = (node: LeafNode, value: () => Buffer) => void;

const byBytes: Order = (one, other) => Buffer.compare(one, other);
/** Of the free pages the key is a transaction, a number of 64 bits. */
const byNumber: Order = (one, other) => {
  const [a, b] = [one.readBigUInt64LE(0), other.readBigUInt64LE(0)];
  return a < b ? -1 : a > b ? 1 : 0;
};

/** No tree of a file that can be mapped is deeper. */
const MAX_DEPTH = 32;

/**
 * @param pages how many the file has
 * @returns what is wrong; undefined when all is well
 * @throws BadPage, RangeError
 */
export function walkDatabase(file: number, pages: number, meta: Meta): string | undefined {
  return new Walk(file, pages, meta).run();
}

class Walk {
  readonly #file: number;
  readonly #pages: number;
  readonly #meta: Meta;
  /** A bit for each page that was met. */
  readonly #met: Uint8Array;
  /** A page for each level of the tree. */
  readonly #levels: Buffer[] = [];
  #row: string | undefined;

  constructor(file: number, pages: number, meta: Meta) {
    this.#file = file;
    this.#pages = pages;
    this.#meta = meta;
    this.#met = new Uint8Array(Math.ceil((Math.max(pages, meta.lastPage) + 1) / 8));
  }

  run(): string | undefined {
    const { free, main, lastPage } = this.#meta;
    if (lastPage > this.#pages + MAX_UNWRITTEN) return 'counts pages that it cannot have';
    this.#walkTree(main, byBytes, (node) => {
      if (node.kind !== 'tree') throw new BadPage('has an entry that is no table');
      const table = node.key.toString('latin1').replace(/\0$/, '');
      // Under another name its rows would be missed and nobody told.
      if (!TABLES.has(table) && !FIRST_FORMAT.has(table))
        throw new BadPage('has a table that is none of ours');
      this.#walkTree(
        readTreeHead(Buffer.from(node.data)),
        byBytes,
        (row, value) => this.#checkRow(table, row, value),
        TABLE_LEVELS,
      );
    });
    const freed: Buffer[] = [];
    this.#walkTree(free, byNumber, (_node, value) => void freed.push(Buffer.from(value())));
    for (const list of freed) this.#checkFree(list);
    return this.#row;
  }

  #checkRow(table: string, node: LeafNode, value: () => Buffer): void {
    if (node.kind === 'tree') throw new BadPage('has a table within a table');
    if (FIRST_FORMAT.has(table) || isRowWhole(node.key, value())) return;
    this.#row ??= `has a damaged row: ${nameRow(table, node.key)} is not as it was written`;
  }

  #walkTree(tree: TreeHead, order: Order, visit: Visit, level = 0): void {
    if (tree.root === undefined) {
      if (tree.entries !== 0 || tree.depth !== 0) throw new BadPage('has a table without its pages');
      return;
    }
    if (tree.depth < 1 || tree.depth > MAX_DEPTH) throw new BadPage('has a table of a depth that cannot be');
    const counted = { branches: 0, leaves: 0, overflows: 0, entries: 0 };
    const descend = (
      number: number,
      depth: number,
      from: Buffer | undefined,
      to: Buffer | undefined,
    ): void => {
      const page = this.#readPage(number, level + depth);
      const isLeaf = depth === tree.depth - 1;
      if (!isLeaf) {
        counted.branches++;
        const nodes = readBranch(page, number, this.#meta.transaction);
        // The first key of a branch is never looked at.
        assertOrder(nodes.slice(1), order, from, to);
        for (const [index, node] of nodes.entries())
          descend(node.page, depth + 1, index === 0 ? from : node.key, nodes[index + 1]?.key ?? to);
        return;
      }
      counted.leaves++;
      const nodes = readLeaf(page, number, this.#meta.transaction);
      assertOrder(nodes, order, from, to);
      counted.entries += nodes.length;
      for (const node of nodes) {
        let value: Buffer | undefined;
        if (node.kind === 'pages') {
          const { first, count } = readOverflowPlace(node);
          counted.overflows += count;
          value = this.#readRun(first, count, node.size);
        }
        visit(node, () => value ?? node.data);
      }
    };
    descend(tree.root, 0, undefined, undefined);
    const { branches, leaves, overflows, entries } = tree;
    if (
      counted.branches !== branches ||
      counted.leaves !== leaves ||
      counted.overflows !== overflows ||
      counted.entries !== entries
    )
      throw new BadPage(`counts ${entries} rows where it has ${counted.entries}`);
  }

  #readPage(number: number, level: number): Buffer {
    this.#meet(number, 1);
    const page = (this.#levels[level] ??= Buffer.alloc(PAGE_SIZE));
    this.#read(page, number);
    return page;
  }

  #readRun(first: number, count: number, size: number): Buffer {
    this.#meet(first, count);
    const pages = Buffer.alloc(count * PAGE_SIZE);
    this.#read(pages, first);
    return readOverflow(pages, first, size, this.#meta.transaction);
  }

  #read(into: Buffer, first: number): void {
    if (readSync(this.#file, into, 0, into.length, first * PAGE_SIZE) < into.length)
      throw new BadPage(`ends before page ${first}`);
  }

  /** Notes pages as used; each is used once. @param within how many there are to choose from */
  #meet(first: number, count: number, within = this.#pages): void {
    const known = this.#meta.lastPage + 1;
    if (first < 2 || count < 1 || first + count > known)
      throw new BadPage(`leads to page ${first}, which it has not`);
    if (first + count > within)
      throw new BadPage(`has ${this.#pages * PAGE_SIZE} bytes where ${known * PAGE_SIZE} are in use`);
    for (let page = first; page < first + count; page++) {
      const [at, bit] = [page >> 3, 1 << (page & 7)];
      if (((this.#met[at] ?? 0) & bit) !== 0) throw new BadPage(`uses page ${page} twice`);
      this.#met[at] = (this.#met[at] ?? 0) | bit;
    }
  }

  /** A list of free pages: how many entries, then a page each, or how many there are in a row, negative, and the first. */
  #checkFree(list: Buffer): void {
    const entries = Number(list.readBigInt64LE(0));
    if (entries < 0 || (entries + 1) * 8 > list.length) throw new BadPage('has a damaged list of free pages');
    for (let n = 1; n <= entries; n++) {
      const entry = Number(list.readBigInt64LE(n * 8));
      if (entry > 0) this.#meet(entry, 1, Infinity);
      else if (entry < 0) this.#meet(Number(list.readBigInt64LE(++n * 8)), -entry, Infinity);
    }
  }
}

/** The levels of a table come after those of the tree of tables. */
const TABLE_LEVELS = MAX_DEPTH;
/** Pages that may have been given back before they were ever written: those of the largest transaction. */
const MAX_UNWRITTEN = 2 ** 24;

const TABLES: ReadonlySet<string> = new Set(Object.values(TABLE_NAMES));
const FIRST_FORMAT: ReadonlySet<string> = new Set(Object.values(FIRST_FORMAT_NAMES));

function assertOrder(
  nodes: readonly { readonly key: Buffer }[],
  order: Order,
  from: Buffer | undefined,
  to: Buffer | undefined,
): void {
  let before = from;
  for (const [index, { key }] of nodes.entries()) {
    const compared = before === undefined ? -1 : order(before, key);
    // The first may be the one that the branch above names.
    if (compared > 0 || (compared === 0 && !(index === 0 && before === from)))
      throw new BadPage('has entries out of order');
    before = key;
  }
  if (before !== undefined && to !== undefined && nodes.length > 0 && order(before, to) >= 0)
    throw new BadPage('has entries out of order');
}
