/** Learning many files in batches that several threads can share. */
import type { Encoding } from '../core/assign/properties.js';
import { fingerprintFile, type Fingerprint } from './fingerprint.js';

export interface FileToFingerprint {
  /** Absolute. */
  readonly path: string;
  readonly size: number;
  readonly contentType: string;
  readonly encoding: Encoding | undefined;
}

export interface FingerprintJob {
  readonly files: readonly FileToFingerprint[];
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
    if (start >= files.length) return;
    const learned: Fingerprint[] = [];
    for (const { path, size, contentType, encoding } of files.slice(start, start + BATCH))
      learned.push(await fingerprintFile(path, size, contentType, encoding));
    taken(start, learned);
    await pause?.();
  }
}
