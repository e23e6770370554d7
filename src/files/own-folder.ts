/** Folders that nobody but their owner looks into. */
import { chmodSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import { makeFolder } from './make-folder.js';

const OWNER_ALONE = 0o700;

/** Makes a folder, and shuts one that is open to others. @throws the system's error */
export function makeOwnFolder(path: string): void {
  // What it lies in is for others to say.
  makeFolder(dirname(path));
  makeFolder(path, OWNER_ALONE);
  if ((statSync(path).mode & 0o077) !== 0) chmodSync(path, OWNER_ALONE);
}
