/** Where the embedded store keeps things. */
import { readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { systemWords } from '../../core/errors/system-error.js';

export interface Layout {
  readonly root: string;
  readonly marker: string;
  readonly rows: string;
  readonly packs: string;
  readonly large: string;
  /** What is known without opening the database. */
  readonly cachedState: string;
}

/** Drafts and private objects lie here: nobody else on this machine reads them. */
export const OWN_FOLDER = 0o700;
export const OWN_FILE = 0o600;

export const layoutOf = (root: string): Layout => ({
  root,
  marker: join(root, 'fenestra-store.json'),
  rows: join(root, 'rows.lmdb'),
  packs: join(root, 'packs'),
  large: join(root, 'large'),
  cachedState: join(root, 'glance.json'),
});

/** A path in the store as its rows have it. */
export const relativePath = ({ root }: Layout, path: string): string => path.slice(root.length + 1);

/** Where a body lies that has a file of its own. */
export const largePath = (layout: Layout, digest: string): string =>
  join(layout.large, digest.slice(0, 2), digest);

/**
 * Whether a store was ever made there, or something is left of one.
 * @throws FenestraError STORE_UNREADABLE
 */
export function storeExists(root: string): boolean {
  const layout = layoutOf(root);
  try {
    return isThere(layout.marker) || isThere(layout.rows) || holdsBodies(layout);
  } catch (error) {
    throw asStoreError(error, root, 'STORE_UNREADABLE');
  }
}

/** Unlike `existsSync`, tells what is not there from what may not be seen. @throws the system's error */
export const isThere = (path: string): boolean => statSync(path, { throwIfNoEntry: false }) !== undefined;

/** Whether any body lies there. */
export const holdsBodies = ({ packs, large }: Layout): boolean =>
  [packs, large].some((folder) => isThere(folder) && readdirSync(folder).length > 0);

/** Turns a system error met while using the store into one that names the store. @param denied when it is not let in */
export function asStoreError(
  error: unknown,
  path: string,
  denied: 'STORE_UNWRITABLE' | 'STORE_UNREADABLE' = 'STORE_UNWRITABLE',
): unknown {
  if (error instanceof FenestraError) return error;
  const code = systemCode(error);
  const text = error instanceof Error ? error.message : String(error);
  if (code === 'ENOSPC' || code === 'EDQUOT' || /commit failed|no space|MDB_MAP_FULL|ENOSPC/i.test(text))
    return new FenestraError('STORE_FULL', { path }, error);
  const reason =
    code !== undefined && DENIED.has(code)
      ? systemWords(code)
      : TEXTS.find(([pattern]) => pattern.test(text))?.[1];
  if (reason !== undefined) return new FenestraError(denied, { path, reason }, error);
  // Damage that the check before opening could not see; anything else of the database is a defect.
  if (/^MDB_(?:CORRUPTED|PAGE_NOTFOUND|INVALID|VERSION_MISMATCH|BAD_)/.test(text))
    return new FenestraError('STORE_DAMAGED', { what: text, path }, error);
  return error;
}

/** The database's own errors have texts alone. */
const TEXTS: readonly (readonly [RegExp, string])[] = [
  [/permission denied|operation not permitted/i, 'permission is missing'],
  [/read-only file system/i, 'the file system is read-only'],
];

/** What keeps a store from being used, rather than being a fault of ours. */
const DENIED = new Set([
  'EACCES',
  'EPERM',
  'EROFS',
  'ENOTDIR',
  'EIO',
  'EISDIR',
  'ELOOP',
  'ENAMETOOLONG',
  'EEXIST',
]);
