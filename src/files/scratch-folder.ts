/** A folder for what is needed for a while, which is gone when the program ends, whatever ends it. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export interface ScratchFolder {
  /** Absolute; nobody else may look into it. */
  readonly folder: string;
  remove(): void;
}

export function makeScratchFolder(): ScratchFolder {
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-import-'));
  const remove = (): void => {
    rmSync(folder, { recursive: true, force: true });
    process.off('exit', remove);
  };
  process.once('exit', remove);
  return { folder, remove };
}
