/** What changes sooner than the caches of visitors let go of it: its lifetime is longer than it has lasted. */
import { shownFor } from '../caching/freshness.js';
import { isPage } from '../assign/defaults.js';
import type { ObjectHeaders } from '../site/site-object.js';
import type { Change } from './change-list.js';
import type { ChangeHistory } from './change-history.js';

const DAY = 86_400;

export interface KeptTooLong {
  readonly key: string;
  /** For how long a cache uses it without asking, and how long it has lasted. Seconds. */
  readonly kept: number;
  readonly lasted: number;
  /** In how many releases its bytes have changed, where several were looked at: it lasts for that long on average. */
  readonly changed?: number;
}

/** What is kept for too long, with the rule behind the first of it. */
export interface RuledTooLong {
  /** The longest kept first. */
  readonly objects: readonly KeptTooLong[];
  /** The rule or default that decides the caching of the first, and how many objects have it from there. */
  readonly by: string;
  readonly covers: number;
}

/** What is there now, and what decides its caching. */
export interface CachedObject {
  readonly key: string;
  /** Its plain name, where `key` is a versioned one. */
  readonly plain?: string | undefined;
  readonly headers: ObjectHeaders;
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
  return found.sort(longestFirst);
}

/**
 * The objects that are kept for a day or more, and for longer than they have lasted between two changes in the past; the
 * longest kept first.
 * @param now milliseconds since the epoch
 */
export function listKeptPastChanges(
  objects: Iterable<CachedObject>,
  { span, changes }: ChangeHistory,
  now: number,
): KeptTooLong[] {
  const found: KeptTooLong[] = [];
  for (const { key, plain, headers } of objects) {
    const changed = changes.get(key)?.size ?? 0;
    if (changed === 0 || plain !== undefined) continue;
    const kept = shownFor(headers, now, isPage(headers['Content-Type'] ?? ''));
    const lasted = span / changed;
    if (kept >= DAY && kept > lasted) found.push({ key, kept, lasted, changed });
  }
  return found.sort(longestFirst);
}

const longestFirst = (a: KeptTooLong, b: KeptTooLong): number => b.kept - a.kept || (a.key < b.key ? -1 : 1);

/**
 * @param objects of the site, with what decides the caching of each
 * @returns undefined where nothing is kept for too long, or nothing says why
 */
export function withRule<Each extends { readonly key: string }>(
  tooLong: readonly KeptTooLong[],
  objects: readonly Each[],
  ruleOf: (object: Each) => string | undefined,
): RuledTooLong | undefined {
  const [first] = tooLong;
  const object = first && objects.find(({ key }) => key === first.key);
  const by = object && ruleOf(object);
  if (by === undefined) return undefined;
  return { objects: tooLong, by, covers: objects.filter((each) => ruleOf(each) === by).length };
}
