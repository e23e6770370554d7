/** Writing a file whole or not at all: under a temporary name, then moved into place. */
import { closeSync, fsyncSync, openSync, renameSync, rmSync, writeSync } from 'node:fs';

/** Writes everything, however little the system takes at a time. */
export function writeAll(file: number, bytes: Buffer): void {
  let at = 0;
  while (at < bytes.length) at += writeSync(file, bytes, at);
}

/**
 * Puts a file in place whole; whoever reads it meanwhile sees the old one.
 * @param options.durable waits until its bytes are on disk, so that a power cut leaves the old one or this one
 * @param options.mode the file's permissions; its owner alone may read it without one
 * @throws the system's error; then nothing is left behind and the old file stands
 */
export function writeWhole(
  path: string,
  parts: string | Buffer | Iterable<Buffer>,
  options: { readonly durable?: boolean; readonly mode?: number } = {},
): void {
  const temporary = `${path}.${process.pid}.new`;
  try {
    const file = openSync(temporary, 'w', options.mode ?? 0o600);
    try {
      const pieces =
        typeof parts === 'string' ? [Buffer.from(parts)] : Buffer.isBuffer(parts) ? [parts] : parts;
      for (const piece of pieces) writeAll(file, piece);
      if (options.durable === true) fsyncSync(file);
    } finally {
      closeSync(file);
    }
    renameSync(temporary, path);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}
