/** Making a folder with all that it lies in, each step once: where a file system makes none, Node.js goes on trying for ever. */
import { mkdirSync, statSync } from 'node:fs';
import { dirname, resolve } from 'node:path';

const isFolder = (path: string): boolean => statSync(path, { throwIfNoEntry: false })?.isDirectory() ?? false;

/** @param mode of what is made; as usual where it is left out @throws the system's error */
export function makeFolder(path: string, mode?: number): void {
  const missing: string[] = [];
  let at = resolve(path);
  for (; statSync(at, { throwIfNoEntry: false }) === undefined; at = dirname(at)) missing.push(at);
  // Says of a file that it is there.
  if (missing.length === 0 && !isFolder(at)) mkdirSync(at);
  for (const each of missing.reverse()) {
    try {
      mkdirSync(each, mode === undefined ? {} : { mode });
    } catch (error) {
      // Somebody else was faster.
      if (!isFolder(each)) throw error;
    }
  }
}
