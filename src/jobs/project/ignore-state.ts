/** What Fenestra keeps beside the config is no part of the project's history. */
import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeFolder } from '../../files/make-folder.js';

/** @param home the folder of the config */
export function ignoreState(home: string): void {
  const folder = join(home, '.fenestra');
  try {
    makeFolder(folder);
    const file = join(folder, '.gitignore');
    if (!existsSync(file)) writeFileSync(file, '*\n');
  } catch {
    // Only a convenience: where it cannot be written the store says so itself.
  }
}
