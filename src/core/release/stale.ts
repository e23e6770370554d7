/** What visitors may still hold of the old release after a publish. */
import { describeCaching } from '../caching/describe-caching.js';
import { isPage } from '../assign/defaults.js';
import { shownFor } from '../caching/freshness.js';
import type { ObjectHeaders } from '../site/site-object.js';
import type { Change } from './change-list.js';

export interface Stale {
  readonly key: string;
  /** Milliseconds since the epoch. */
  readonly until: number;
  readonly because: string;
}

/** Why a cache goes on using what it has. */
export const keptBy = (headers: ObjectHeaders): string =>
  `it was published with: ${describeCaching(headers)}`;

/** Lists the changed or removed objects that a cache may go on using without asking, the longest first. */
export function listStale(changes: readonly Change[], now: number): Stale[] {
  const stale: Stale[] = [];
  for (const { key, plainKey, change, was } of changes) {
    // A versioned name is asked for by those alone who name it, and means the same bytes for ever.
    if (
      !was ||
      plainKey !== undefined ||
      (change !== 'replace' && change !== 'remove' && change !== 'relabel')
    )
      continue;
    const seconds = shownFor(was.headers, now, isPage(was.headers['Content-Type'] ?? ''));
    if (seconds > 0)
      stale.push({
        key,
        until: now + seconds * 1000,
        because: keptBy(was.headers),
      });
  }
  return stale.sort((a, b) => b.until - a.until);
}
