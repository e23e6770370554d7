/** What a shared cache before the bucket goes on answering with after a publish, and has to be told to forget. */
import { sharedFreshnessOf, decideKeeping } from '../caching/shared-freshness.js';
import { fileName, keyToPath } from '../site/key.js';
import type { Change } from './change-list.js';
import { keptBy } from './stale.js';

export interface FrontHeld {
  readonly key: string;
  /** Whole, as visitors ask for it. */
  readonly address: string;
  /** Milliseconds since the epoch. */
  readonly until: number;
  readonly because: string;
}

/**
 * The addresses of what is changed or removed, those that are held longest first.
 * @param base of the site, with a closing slash @param index the name of a folder's page
 * @param now milliseconds since the epoch
 */
export function listFrontHeld(
  changes: readonly Change[],
  base: string,
  index: string,
  now: number,
): FrontHeld[] {
  const held: FrontHeld[] = [];
  for (const { key, change, was } of changes) {
    if (!was || change === 'add') continue;
    // Every host sends something to confirm by.
    const answer = { status: 200, headers: { ETag: '"was"', ...was.headers }, at: now };
    if (decideKeeping({ method: 'GET', headers: {} }, answer) !== undefined) continue;
    const { lifetime } = sharedFreshnessOf(answer);
    if (lifetime <= 0) continue;
    const path = keyToPath(key).slice(1);
    const folder = fileName(key) === index ? [path.slice(0, path.length - index.length)] : [];
    for (const each of [...folder, path])
      held.push({
        key,
        address: base + each,
        until: now + lifetime * 1000,
        because: keptBy(was.headers),
      });
  }
  return held.sort((a, b) => b.until - a.until);
}
