/** Which names a file system takes for one, tried in a folder that is to be written: each has rules of its own. */
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { systemCode } from '../core/errors/catalogue.js';
import { likeNames } from '../core/site/like-names.js';
import { makeFolder } from '../files/make-folder.js';

/**
 * @returns the first two keys that would be one file, or a file and a folder; undefined where all are apart
 * @throws SystemError where nothing can be written, or a name is none there
 */
export function findMeetingNames(
  folder: string,
  keys: readonly string[],
): readonly [string, string] | undefined {
  const like = likeNames(keys);
  if (like.length === 0) return undefined;
  const scratch = mkdtempSync(join(folder, '.names-'));
  try {
    for (const [at, key] of like.entries()) {
      const path = join(scratch, key);
      try {
        makeFolder(dirname(path));
        writeFileSync(path, String(at), { flag: 'wx' });
      } catch (error) {
        const code = systemCode(error);
        if (code !== 'EEXIST' && code !== 'ENOTDIR' && code !== 'EISDIR') throw error;
        return [like[numberAt(scratch, key)] ?? key, key];
      }
    }
    return undefined;
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

/** The number in the file that is in the way of a key: there, above it or below it. */
function numberAt(scratch: string, key: string): number {
  let path = scratch;
  for (const part of key.split('/')) {
    path = join(path, part);
    if (statSync(path).isFile()) return Number(readFileSync(path, 'latin1'));
  }
  for (;;) {
    const [first = ''] = readdirSync(path);
    path = join(path, first);
    if (statSync(path).isFile()) return Number(readFileSync(path, 'latin1'));
  }
}
