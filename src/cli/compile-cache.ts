/** Compiled code of this build, kept by Node.js between runs where it can (22 and later): a start takes half as long. */
import { lstatSync, readdirSync, rmSync, statSync } from 'node:fs';
import module from 'node:module';
import { join } from 'node:path';
import { cacheHome } from '../files/base-folders.js';
import { makeOwnFolder } from '../files/own-folder.js';
import { BUILD } from '../jobs/project/build.js';

const UNUSED_MS = 30 * 86_400_000;

interface Compiling {
  enableCompileCache?(folder: string): unknown;
}

/** Never fails: without it everything works as it does, a little later. */
export function enableCompileCache(): void {
  const { enableCompileCache: enable } = module as Compiling;
  if (!enable || BUILD === undefined) return;
  try {
    const all = join(cacheHome(), 'fenestra');
    const folder = join(all, `compiled-${BUILD}`);
    const isNew = !isThere(folder);
    // What lies there is run: it must be nobody else's, and no link to what somebody else has made.
    makeOwnFolder(all);
    makeOwnFolder(folder);
    for (const each of [all, folder]) if (!isOwn(each)) return;
    if (isNew) removeUnused(all);
    enable(folder);
  } catch {
    // The folder cannot be made or written.
  }
}

const isThere = (path: string): boolean => lstatSync(path, { throwIfNoEntry: false }) !== undefined;

function isOwn(path: string): boolean {
  const stats = lstatSync(path);
  return stats.isDirectory() && stats.uid === process.getuid?.() && (stats.mode & 0o077) === 0;
}

/** Earlier builds leave theirs behind. */
function removeUnused(all: string): void {
  for (const name of readdirSync(all)) {
    if (!name.startsWith('compiled-')) continue;
    const path = join(all, name);
    if (statSync(path).mtimeMs < Date.now() - UNUSED_MS) rmSync(path, { recursive: true, force: true });
  }
}
