/** Folders that nobody but their owner looks into. */
import { chmodSync, mkdirSync, statSync } from 'node:fs';
import { dirname } from 'node:path';

const OWNER_ALONE = 0o700;

/** Makes a folder, and shuts one that is open to others. @throws the system's error */
export function makeOwnFolder(path: string): void {
  // What it lies in is for others to say.
  mkdirSync(dirname(path), { recursive: true });
  mkdirSync(path, { recursive: true, mode: OWNER_ALONE });
  if ((statSync(path).mode & 0o077) !== 0) chmodSync(path, OWNER_ALONE);
}
