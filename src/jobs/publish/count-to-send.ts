/** What publishing sends. */
import { randomInt } from 'node:crypto';
import { digestsToSend, type Change } from '../../core/release/change-list.js';
import { listMissing, type ForeignChange } from '../../core/release/foreign.js';
import type { Store } from '../../stores/port.js';

/** Bytes of bodies that the store does not hold yet. */
export async function countToSend(
  entries: readonly Change[],
  store: Store | undefined,
  bucket: string,
  foreign: readonly ForeignChange[],
): Promise<number> {
  // What the ledger still says of what somebody else has changed is not so.
  const { unknown, gone } = listMissing(foreign);
  const others = new Set([...unknown, ...gone]);
  const anew = new Set<string>();
  if (others.size > 0)
    for (const { key, becomes } of entries) if (becomes && others.has(key)) anew.add(becomes.digest);
  let bytes = 0;
  for (const sizes of digestsToSend(entries, randomInt(2 ** 32))) {
    const lacking = await store?.lacks(bucket, sizes.keys());
    for (const [digest, size] of sizes) if ((lacking?.has(digest) ?? true) || anew.has(digest)) bytes += size;
  }
  return bytes;
}
