/** Comparing only what may differ from a bucket that holds the site as it was surveyed once. */
import { compareObjects, type ObjectComparison } from '../../core/release/change-list.js';
import { findKey } from '../../core/site/find-key.js';
import { compareKeys } from '../../core/site/key.js';
import type { SiteObject, StoredObject } from '../../core/site/site-object.js';
import type { BucketState, Snapshot } from '../../stores/port.js';
import type { Fitted } from './fit-site.js';

/**
 * @param bucket whose identity says that it holds a state of the site of which the site still knows
 * @returns undefined where nothing can be left out: nothing is known of what the bucket holds, or it cannot be so
 */
export async function compareChanged(
  { objects, trail }: Fitted,
  bucket: BucketState,
  snapshot: Snapshot,
): Promise<ObjectComparison | undefined> {
  const past = trail?.find(({ identity }) => identity === bucket.identity);
  if (!past || bucket.objects === undefined || bucket.waiting !== undefined) return undefined;
  const keys = [...past.keys].sort(compareKeys);
  const own: SiteObject[] = [];
  const there: StoredObject[] = [];
  for (const key of keys) {
    const object = objects[findKey(objects.length, (at) => objects[at]?.key ?? '', key)];
    if (object) own.push(object);
    const stored = await snapshot.find(key);
    if (stored) there.push(stored);
  }
  const rest = bucket.objects - there.length;
  // The others are the same on both sides, so there are as many.
  if (rest !== objects.length - own.length || there.some(({ waits }) => waits)) return undefined;
  const { totals, ...some } = await compareObjects(own, there, undefined, Infinity);
  return { ...some, totals: { ...totals, keep: totals.keep + rest }, held: bucket.objects };
}
