/** What of a site would do well under versioned names: what pages load and what has no hash in its name by itself. */
import { hasContentHash } from '../site/names.js';
import { extension } from '../site/key.js';
import { isFoundByAddress } from './versionable.js';

const KINDS: readonly (readonly [pattern: string, endings: readonly string[]])[] = [
  ['*.css', ['css']],
  ['*.{js,mjs}', ['js', 'mjs']],
  ['*.{woff,woff2,ttf,otf}', ['woff', 'woff2', 'ttf', 'otf']],
  ['*.{avif,gif,jpg,jpeg,png,svg,webp}', ['avif', 'gif', 'jpg', 'jpeg', 'png', 'svg', 'webp']],
];

/** The pattern that would cover a key; undefined where none would. */
export function proposedFor(key: string): string | undefined {
  if (hasContentHash(key) || isFoundByAddress(key, '')) return undefined;
  const ending = extension(key);
  return KINDS.find(([, endings]) => endings.includes(ending))?.[0];
}

/** The patterns for `versioned`, in a fixed order; none where nothing would gain by it. */
export function proposeVersioned(keys: readonly string[]): readonly string[] {
  const found = new Set(keys.map(proposedFor));
  // Pictures alone seldom change with what shows them.
  if (!found.has('*.css') && !found.has('*.{js,mjs}')) return [];
  return KINDS.map(([pattern]) => pattern).filter((pattern) => found.has(pattern));
}
