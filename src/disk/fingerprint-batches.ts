/** Learning many files in batches that several threads can share. */
import { fileAt, type FileColumns } from './file-columns.js';
import { fingerprintFile, type Fingerprint } from './fingerprint.js';

export interface FingerprintJob {
  readonly files: FileColumns;
  /** One number, shared: the first file that nobody has taken. */
  readonly next: Int32Array;
}

const BATCH = 32;

/**
 * Takes batches until none is left.
 * @param taken told of each batch: the position of its first file, and what was learned of each
 * @throws FenestraError FILE_UNREADABLE, FILE_CHANGING
 */
export async function fingerprintBatches(
  { files, next }: FingerprintJob,
  taken: (start: number, learned: Fingerprint[]) => void,
  pause?: () => Promise<void>,
): Promise<void> {
  for (;;) {
    const start = Atomics.add(next, 0, BATCH);
    if (start >= files.count) return;
    const learned: Fingerprint[] = [];
    for (let row = start; row < Math.min(files.count, start + BATCH); row++)
      learned.push(await fingerprintAt(files, row));
    taken(start, learned);
    await pause?.();
  }
}

/** @throws FenestraError FILE_UNREADABLE, FILE_CHANGING */
export function fingerprintAt(files: FileColumns, row: number): Promise<Fingerprint> {
  const { path, size, contentType, encoding } = fileAt(files, row);
  return fingerprintFile(path, size, contentType, encoding);
}
