/** What one release of a bucket changes of another: only what differs is looked at, where the store can tell. */
import { compareObjects, type ObjectComparison } from '../../core/release/change-list.js';
import type { Snapshot, Store } from '../../stores/port.js';

/**
 * @param held how many objects the release had; undefined where only a listing could tell
 * @param at what waits longer than that stays: milliseconds since the epoch
 */
export async function compareReleases(
  store: Store,
  was: Snapshot,
  becomes: Snapshot,
  held: number | undefined,
  at: number,
): Promise<ObjectComparison> {
  const { name, release } = was.state;
  const differing =
    held === undefined ? undefined : await store.differences?.(name, release, becomes.state.release);
  if (!differing || held === undefined)
    return compareObjects(becomes.objects(), was.objects(), undefined, at);
  const {
    entries,
    totals,
    waiting,
    held: differ,
  } = await compareObjects(differing.to, differing.from, undefined, at);
  const keep = held - differ + totals.keep;
  return { entries, held, waiting, totals: { ...totals, keep } };
}
