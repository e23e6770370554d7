/**
 * Looks at the database before LMDB maps it: LMDB trusts its file, and a damaged one ends the process or answers with
 * other rows. Every page that is in use is read, every entry is in its place and in order, every row is as it was
 * written, and what is free is not in use.
 */
import { closeSync, existsSync, fstatSync, openSync, readSync } from 'node:fs';
import { BadPage, damagedDatabase, PAGE_SIZE, readMeta, type Meta } from './page.js';
import { walkDatabase } from './walk-database.js';

const HEAD = 2 * PAGE_SIZE;
const MOST_LOOKS = 50;

/**
 * @param wholly reads every page; otherwise only the first two, for a file that is known to be as it was left
 * @param atLeast the transaction that the database has been at
 * @throws FenestraError STORE_DAMAGED
 */
export function checkDatabase(path: string, wholly: boolean, atLeast = 0n): void {
  if (!existsSync(path)) return;
  const file = openSync(path, 'r');
  try {
    for (let looks = 1; ; looks++) {
      const head = readHead(file);
      // Asked for after the head: whoever commits lets the file grow before the head tells of it.
      const { size } = fstatSync(file);
      if (size === 0) return;
      const fault =
        head.length < HEAD ? `is cut short at ${size} bytes` : faultOf(file, head, size, wholly, atLeast);
      if (fault === undefined) return;
      // Somebody who commits meanwhile writes over pages that were just read.
      if (looks === MOST_LOOKS || readHead(file).equals(head)) throw damagedDatabase(path, fault);
    }
  } finally {
    closeSync(file);
  }
}

/** The transaction that a database is at; undefined where that cannot be read. */
export function readTransaction(path: string): bigint | undefined {
  const file = openSync(path, 'r');
  try {
    return newestOf(readHead(file)).transaction;
  } catch (error) {
    if (error instanceof BadPage || error instanceof RangeError) return undefined;
    throw error;
  } finally {
    closeSync(file);
  }
}

function readHead(file: number): Buffer {
  const head = Buffer.alloc(HEAD);
  return head.subarray(0, readSync(file, head, 0, HEAD, 0));
}

/** The newer of the two pages that commits write in turn: an even transaction the first, an odd one the second. */
function newestOf(head: Buffer): Meta {
  const first = readMeta(head.subarray(0, PAGE_SIZE), 0);
  const second = readMeta(head.subarray(PAGE_SIZE), 1);
  const [even, odd] = [first.transaction, second.transaction];
  const inTurn = even % 2n === 0n && odd % 2n === 1n && (even - odd === 1n || odd - even === 1n);
  if (!inTurn && (even !== 0n || odd !== 0n))
    throw new BadPage('has first pages that do not belong together');
  if (first.free.flags !== second.free.flags) throw new BadPage('has first pages of different kinds');
  return odd > even ? second : first;
}

function faultOf(
  file: number,
  head: Buffer,
  size: number,
  wholly: boolean,
  atLeast: bigint,
): string | undefined {
  try {
    const newest = newestOf(head);
    if (newest.transaction < atLeast)
      return `is older than it was: at change ${newest.transaction}, after ${atLeast}`;
    if (size % PAGE_SIZE !== 0) return `is cut off in the middle of a page, at ${size} bytes`;
    const pages = newest.lastPage + 1;
    if (!wholly && size >= pages * PAGE_SIZE) return undefined;
    return walkDatabase(file, size / PAGE_SIZE, newest);
  } catch (error) {
    if (error instanceof BadPage) return error.message;
    if (error instanceof RangeError) return 'does not read as a database';
    throw error;
  }
}
