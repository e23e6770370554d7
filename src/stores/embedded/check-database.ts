/**
 * Looks at the database before LMDB maps it: LMDB trusts its file, and a damaged one ends the process or answers with
 * other rows. Every page that is in use is read, every entry is in its place and in order, every row is as it was
 * written, and what is free is not in use.
 */
import { checkHeadAnd } from './check-head.js';
import { PAGE_SIZE } from './page.js';
import { walkDatabase } from './walk-database.js';

/**
 * @param wholly reads every page; otherwise only the first two, for a file that is known to be as it was left
 * @param atLeast the transaction that the database has been at
 * @throws FenestraError STORE_DAMAGED
 */
export const checkDatabase = (path: string, wholly: boolean, atLeast = 0n): void =>
  checkHeadAnd(path, atLeast, ({ file, newest, size }) =>
    !wholly && size >= (newest.lastPage + 1) * PAGE_SIZE
      ? undefined
      : walkDatabase(file, size / PAGE_SIZE, newest),
  );
