/**
 * Until when an object may still be asked for by pages that are published no more: as long as a copy of such a page can
 * be used without asking, and what it asks for leads on to further objects.
 */
import { usableFrom } from '../visiting/held-copy.js';
import { isPage } from '../assign/defaults.js';
import { freshnessOf } from '../caching/freshness.js';
import { formatHttpDate } from '../caching/http-date.js';
import type { StoredObject } from '../site/site-object.js';

/** Somebody may be reading a page at the moment at which it is replaced, and what is far down on it is asked for late. */
export const OPEN_PAGE_MS = 3_600_000;

export interface Needed {
  /** Milliseconds since the epoch. */
  readonly until: number;
  /** The key of what may ask for it. */
  readonly because: string;
}

/** An object of the release that is replaced. */
export interface OldObject {
  readonly object: StoredObject;
  /** Keys of what it makes a browser ask for, or leads to under a versioned name. */
  asksFor(): Promise<Iterable<string>>;
}

/** Until when a copy of an object can be used that was loaded at the last moment: milliseconds since the epoch. */
export function usableUntil({ headers, since }: StoredObject, now: number): number {
  const sent = { ...headers, 'Last-Modified': formatHttpDate(since), Date: formatHttpDate(now) };
  const { until = now } = usableFrom(200, sent, now);
  const { staleWhileRevalidate: grace } = freshnessOf({ status: 200, headers: sent, at: now });
  // A stale page is never shown while it is asked for.
  return isPage(headers['Content-Type'] ?? '') ? until : until + grace * 1000;
}

/**
 * @param changed keys of the objects that are replaced, removed, or sent with other headers
 * @param find an object of the release that is replaced
 */
export async function decideNeeded(
  changed: Iterable<string>,
  find: (key: string) => Promise<OldObject | undefined>,
  now: number,
): Promise<Map<string, Needed>> {
  const needed = new Map<string, Needed>();
  const open: { readonly old: OldObject; readonly need: Needed }[] = [];
  for (const key of changed) {
    const old = await find(key);
    // A versioned name is asked for by those who name it, and by nobody else.
    if (!old || old.object.plain !== undefined) continue;
    const until = Math.max(usableUntil(old.object, now), now + OPEN_PAGE_MS);
    open.push({ old, need: { until, because: key } });
  }
  for (let next = open.pop(); next; next = open.pop()) {
    const { old, need } = next;
    for (const key of await old.asksFor()) {
      if ((needed.get(key)?.until ?? 0) >= need.until) continue;
      needed.set(key, need);
      const asked = await find(key);
      if (asked?.object.plain !== undefined) open.push({ old: asked, need });
    }
  }
  return needed;
}
