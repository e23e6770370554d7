/** What visitors may still hold of an earlier release: what was replaced or removed since, as long as its headers allow. */
import { isPage } from '../../core/assign/defaults.js';
import { shownFor } from '../../core/caching/freshness.js';
import { keptBy, type Stale } from '../../core/release/stale.js';
import type { Store } from '../../stores/port.js';
import { compareReleases } from './compare-releases.js';

/**
 * The longest held first; nothing of the current release.
 * @param now milliseconds since the epoch
 */
export async function listHeld(store: Store, bucket: string, release: number, now: number): Promise<Stale[]> {
  const current = await store.open(bucket);
  try {
    if (current.state.release <= release) return [];
    const then = await store.open(bucket, release);
    try {
      const { entries } = await compareReleases(store, then, current, then.state.objects, Infinity);
      const releases = (await store.releases?.(bucket)) ?? [];
      const newest = releases.find((each) => each.release === current.state.release)?.at ?? now;
      const held: Stale[] = [];
      for (const { key, was } of entries) {
        if (!was) continue;
        const seconds = shownFor(was.headers, now, isPage(was.headers['Content-Type'] ?? ''));
        if (seconds === 0) continue;
        // It could be loaded until it was replaced; of what was removed the last moment is the newest release.
        const loaded = (await current.find(key))?.since ?? newest;
        const until = loaded + seconds * 1000;
        if (until > now) held.push({ key, until, because: keptBy(was.headers) });
      }
      return held.sort((a, b) => b.until - a.until);
    } finally {
      await then.close();
    }
  } finally {
    await current.close();
  }
}
