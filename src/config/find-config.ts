/** Which config is meant: the one that is named, or the nearest at or above where one stands. */
import { existsSync, statSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';

export const CONFIG_NAME = 'fenestra.yaml';

/**
 * @param named a file, or the folder that it stands in; undefined to look upwards
 * @returns a path as people would write it from where they stand; it need not be there
 */
export function findConfig(named: string | undefined, from = process.cwd()): string {
  if (named !== undefined) return isFolder(resolve(from, named)) ? join(named, CONFIG_NAME) : named;
  for (let folder = from; ; folder = dirname(folder)) {
    const file = join(folder, CONFIG_NAME);
    if (existsSync(file)) return relative(from, file);
    if (folder === dirname(folder)) return CONFIG_NAME;
  }
}

const isFolder = (path: string): boolean => statSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
