/** What changes sooner than the caches of visitors let go of it: its lifetime is longer than it has lasted. */
import { shownFor } from '../caching/freshness.js';
import { isPage } from '../assign/defaults.js';
import type { Change } from './change-list.js';

const DAY = 86_400;

export interface KeptTooLong {
  readonly key: string;
  /** For how long a cache uses it without asking, and how long it has lasted. Seconds. */
  readonly kept: number;
  readonly lasted: number;
}

/** The replaced objects that are kept for a day or more, and for longer than they have lasted; the longest kept first. */
export function listKeptTooLong(changes: readonly Change[], now: number): KeptTooLong[] {
  const found: KeptTooLong[] = [];
  for (const { key, plainKey, change, was, since } of changes) {
    // A versioned name means the same bytes for ever.
    if (change !== 'replace' || !was || plainKey !== undefined || since === undefined) continue;
    const kept = shownFor(was.headers, now, isPage(was.headers['Content-Type'] ?? ''));
    const lasted = Math.max(0, (now - since) / 1000);
    if (kept >= DAY && kept > lasted) found.push({ key, kept, lasted });
  }
  return found.sort((a, b) => b.kept - a.kept || (a.key < b.key ? -1 : 1));
}
