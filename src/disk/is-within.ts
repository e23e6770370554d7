/** Whether one path lies in a folder, whatever links lead there. */
import { realpathSync } from 'node:fs';
import { basename, dirname, join, sep } from 'node:path';

/** @param path absolute; what is not there yet counts as being where it would be made @returns true for the folder itself */
export const isWithin = (path: string, folder: string): boolean =>
  `${realPath(path)}${sep}`.startsWith(`${realPath(folder)}${sep}`);

function realPath(path: string): string {
  try {
    return realpathSync(path);
  } catch {
    const parent = dirname(path);
    return parent === path ? path : join(realPath(parent), basename(path));
  }
}
