/** Where a Chromium lies on this machine. */
import { accessSync, constants, statSync } from 'node:fs';
import { delimiter, join } from 'node:path';

const NAMES = ['chromium', 'chromium-browser', 'headless_shell'];

/** Where a Chromium lies on this machine, by its usual names. */
export function findBrowser(): string | undefined {
  for (const folder of (process.env['PATH'] ?? '').split(delimiter))
    for (const name of NAMES) {
      const path = join(folder, name);
      if (folder !== '' && isProgram(path)) return path;
    }
  return undefined;
}

export function isProgram(path: string): boolean {
  try {
    accessSync(path, constants.X_OK);
    return statSync(path).isFile();
  } catch {
    return false;
  }
}
