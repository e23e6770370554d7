/** Looks at the first two pages of the database, which every commit writes in turn. */
import { closeSync, existsSync, fstatSync, openSync, readSync } from 'node:fs';
import { BadPage, damagedDatabase, PAGE_SIZE, readMeta, type Meta } from './page.js';

const HEAD = 2 * PAGE_SIZE;
const MAX_LOOKS = 50;

/** Of an open database: the newer of its first pages, and how long the file is. */
export interface Head {
  readonly file: number;
  readonly newest: Meta;
  readonly size: number;
}

/**
 * Whether the file holds all the pages that the head speaks of. Where it does not, only a walk can tell whether those
 * that are in use are there.
 * @param atLeast the transaction that the database has been at
 * @throws FenestraError STORE_DAMAGED
 */
export function checkHead(path: string, atLeast: bigint): boolean {
  let isWhole = true;
  checkHeadAnd(path, atLeast, ({ newest, size }) => {
    isWhole = size >= (newest.lastPage + 1) * PAGE_SIZE;
    return undefined;
  });
  return isWhole;
}

/**
 * Checks the head, and then what else is to be checked.
 * @param look says what is wrong; it may throw a BadPage or a RangeError
 * @throws FenestraError STORE_DAMAGED
 */
export function checkHeadAnd(path: string, atLeast: bigint, look: (head: Head) => string | undefined): void {
  if (!existsSync(path)) return;
  const file = openSync(path, 'r');
  try {
    for (let looks = 1; ; looks++) {
      const head = readHead(file);
      // Asked for after the head: whoever commits lets the file grow before the head tells of it.
      const { size } = fstatSync(file);
      if (size === 0) return;
      const fault =
        head.length < HEAD ? `is cut short at ${size} bytes` : faultOf(file, head, size, atLeast, look);
      if (fault === undefined) return;
      // Somebody who commits meanwhile writes over pages that were just read.
      if (looks === MAX_LOOKS || readHead(file).equals(head)) throw damagedDatabase(path, fault);
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
  atLeast: bigint,
  look: (head: Head) => string | undefined,
): string | undefined {
  try {
    const newest = newestOf(head);
    if (newest.transaction < atLeast)
      return `is older than it was: at change ${newest.transaction}, after ${atLeast}`;
    if (size % PAGE_SIZE !== 0) return `is cut off in the middle of a page, at ${size} bytes`;
    return look({ file, newest, size });
  } catch (error) {
    if (error instanceof BadPage) return error.message;
    if (error instanceof RangeError) return 'does not read as a database';
    throw error;
  }
}
