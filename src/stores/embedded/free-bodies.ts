/** Freeing bodies that nobody uses any more: they leave the index, and files of their own are doomed. Inside a write transaction. */
import { statSync } from 'node:fs';
import { largePath, relativePath, type Layout } from './layout.js';
import type { BodyPlace, Rows } from './rows.js';
import type { Removed } from '../port.js';
import { leavePack } from './uses.js';

export class Freeing {
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #now: number;
  readonly #isAnyDamaged: boolean;
  /** Bytes that packs lose. */
  readonly #lost = new Map<string, number>();
  #bodies = 0;
  #bytes = 0;

  constructor(layout: Layout, rows: Rows, now: number) {
    this.#layout = layout;
    this.#rows = rows;
    this.#now = now;
    this.#isAnyDamaged = rows.damaged.count() > 0;
  }

  free(digest: string, { pack, length }: BodyPlace): void {
    const rows = this.#rows;
    this.#bodies++;
    rows.bodies.remove(digest);
    if (this.#isAnyDamaged) rows.damaged.remove(digest);
    if (pack !== undefined) {
      this.#bytes += length;
      this.#lost.set(pack, (this.#lost.get(pack) ?? 0) + length);
      return;
    }
    const path = largePath(this.#layout, digest);
    this.#bytes += sizeOf(path);
    rows.blocks.remove(digest);
    doom(this.#layout, rows, path, this.#now);
  }

  /** What packs have lost counts from here on. */
  finish(): Removed {
    for (const [pack, bytes] of this.#lost) leavePack(this.#rows, pack, bytes);
    this.#lost.clear();
    return { bodies: this.#bodies, bytes: this.#bytes };
  }
}

/** Notes a file that nothing leads to, to be removed once nobody can be reading it. */
export function doom(layout: Layout, rows: Rows, path: string, now: number): void {
  const name = relativePath(layout, path);
  if (!rows.doomed.has(name)) rows.doomed.put(name, now);
}

export const sizeOf = (path: string): number => statSync(path, { throwIfNoEntry: false })?.size ?? 0;
