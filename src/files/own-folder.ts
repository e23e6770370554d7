/** Folders that nobody but their owner looks into. */
import { chmodSync, mkdirSync, statSync } from 'node:fs';

const OWNER_ALONE = 0o700;

/** Makes a folder, and shuts one that is open to others. @throws the system's error */
export function makeOwnFolder(path: string): void {
  mkdirSync(path, { recursive: true, mode: OWNER_ALONE });
  if ((statSync(path).mode & 0o077) !== 0) chmodSync(path, OWNER_ALONE);
}
