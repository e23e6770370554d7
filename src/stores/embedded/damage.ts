/** Bodies that were found to be damaged: they are sent again by whoever has their bytes, and healed so. */
import type { Rows } from './rows.js';

/** Notes a body; failing to only means that it is found again. */
export function noteDamage(rows: Rows, digest: string): void {
  try {
    if (!rows.damaged.has(digest)) rows.root.transactionSync(() => rows.damaged.put(digest, Date.now()));
  } catch {
    // See above.
  }
}

/** Whether a body is there and not known to be damaged. */
export const isBodyWhole = ({ bodies, damaged }: Rows, digest: string): boolean =>
  bodies.has(digest) && (damaged.count() === 0 || !damaged.has(digest));

export const listDamaged = ({ damaged }: Rows): ReadonlySet<string> => new Set(damaged.keys());
