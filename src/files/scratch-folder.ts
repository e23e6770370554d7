/** A folder for what is needed for a while, which is gone when the program ends, whatever ends it. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export interface ScratchFolder {
  /** Absolute; nobody else may look into it. */
  readonly folder: string;
  remove(): void;
}

const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;

export function makeScratchFolder(): ScratchFolder {
  let folder = '';
  const remove = (): void => {
    if (folder !== '') rmSync(folder, { recursive: true, force: true });
    process.off('exit', remove);
    for (const signal of SIGNALS) process.off(signal, stop);
  };
  // It ends as it would without this, and leaves nothing.
  const stop = (signal: NodeJS.Signals): void => {
    remove();
    process.kill(process.pid, signal);
  };
  // Before it is there: nobody is asked between two steps of the system.
  process.once('exit', remove);
  for (const signal of SIGNALS) process.once(signal, stop);
  folder = mkdtempSync(join(tmpdir(), 'fenestra-import-'));
  return { folder, remove };
}
