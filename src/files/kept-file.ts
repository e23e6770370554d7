/** Files of what was worked out before: believed only whole, and only by the build that wrote them. */
import { Buffer } from 'node:buffer';
import { readFileSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import { crc32 } from 'node:zlib';
import { makeOwnFolder } from './own-folder.js';
import { writeWhole } from './write-whole.js';

/** Longer files cost more to read than they save. Bytes. */
const MOST = 64 * 2 ** 20;
const MAX_HEAD = 200;

/** @returns the content; undefined where there is none, or where it is damaged or of another build */
export function readKept(path: string, build: string): Buffer | undefined {
  let bytes: Buffer;
  try {
    if (statSync(path).size > MOST + MAX_HEAD) return undefined;
    bytes = readFileSync(path);
  } catch {
    return undefined;
  }
  const end = bytes.indexOf('\n');
  const content = bytes.subarray(end + 1);
  return end > 0 && bytes.toString('latin1', 0, end) === headOf(build, [content]) ? content : undefined;
}

/** Failing to write is only a slower next time. */
export function writeKept(path: string, build: string, content: readonly Buffer[]): void {
  if (content.reduce((sum, { length }) => sum + length, 0) > MOST) return;
  try {
    makeOwnFolder(dirname(path));
    writeWhole(path, [Buffer.from(`${headOf(build, content)}\n`), ...content]);
  } catch {
    // See above.
  }
}

const headOf = (build: string, content: readonly Buffer[]): string =>
  `${build} ${content.reduce((sum, part) => crc32(part, sum), 0)} ${content.reduce((sum, { length }) => sum + length, 0)}`;
