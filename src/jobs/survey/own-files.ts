/** What of a project is never part of its site. */
import { join, resolve } from 'node:path';
import type { Config } from '../../config/config.js';
import { isWithin } from '../../disk/is-within.js';
import { OwnFiles, type OwnFile } from '../../disk/own-files.js';

/** Options of a store that name a file or a folder, relative to the config. */
const NAMED: Readonly<Record<string, string>> = {
  credentials: 'what to sign in to a store with',
  module: 'the module of a store',
  folder: 'a store',
};

/** The config, what it names, and what Fenestra keeps beside it. */
export function ownFiles({ file, folder, site, storeFolder, stores }: Config): OwnFiles {
  const files: OwnFile[] = [
    { path: file, what: 'the config of Fenestra' },
    { path: join(folder, 'fenestra.schema.json'), what: 'the schema of the config' },
    { path: join(folder, '.fenestra'), what: 'what Fenestra remembers' },
    { path: storeFolder, what: 'a store' },
  ];
  for (const { options } of stores)
    for (const [option, what] of Object.entries(NAMED)) {
      const named = options[option];
      if (typeof named === 'string') files.push({ path: resolve(folder, named), what });
    }
  return new OwnFiles(files, isWithin(folder, site));
}
