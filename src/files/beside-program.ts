/** What lies beside the program, in a checkout or an installed package. */
import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const MAX_UP = 5;

/** @param path from the top of the package @returns the file, absolute; undefined where it is not there */
export function besideProgram(path: string): string | undefined {
  let folder = dirname(fileURLToPath(import.meta.url));
  for (let up = 0; up < MAX_UP; up++, folder = dirname(folder))
    if (existsSync(join(folder, path))) return join(folder, path);
  return undefined;
}
