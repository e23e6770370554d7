/** Moving what is still needed of a pack into a new one, so that the old one can go. Inside a write transaction. */
import { closeSync, fsyncSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import { systemCode } from '../../core/errors/catalogue.js';
import { writeAll } from '../../files/write-whole.js';
import { OWN_FILE, type Layout } from './layout.js';
import { packName, syncFolders } from './pack-writer.js';
import type { BodyPlace, Rows } from './rows.js';
import { forgetPack, indexPacked, listPacked } from './uses.js';

/** What cannot be read stays where its entry says, to be found damaged by whoever asks for it. */
export function movePacked(layout: Layout, rows: Rows, pack: string): void {
  const from = openIfThere(join(layout.packs, pack));
  if (from === undefined) return;
  const name = packName();
  const into = openSync(join(layout.packs, name), 'wx', OWN_FILE);
  const moved = new Map<string, BodyPlace>();
  try {
    let end = 0;
    for (const [digest, { offset, length, uses }] of listPacked(rows, pack)) {
      const bytes = Buffer.alloc(length);
      if (moved.has(digest) || readSync(from, bytes, 0, length, offset) < length) continue;
      writeAll(into, bytes);
      moved.set(digest, { pack: name, offset: end, length, uses });
      end += length;
    }
    fsyncSync(into);
  } finally {
    closeSync(into);
    closeSync(from);
  }
  syncFolders([layout.packs]);
  forgetPack(rows, pack);
  indexPacked(rows, [...moved]);
}

function openIfThere(path: string): number | undefined {
  try {
    return openSync(path, 'r');
  } catch (error) {
    if (systemCode(error) !== 'ENOENT') throw error;
    return undefined;
  }
}
