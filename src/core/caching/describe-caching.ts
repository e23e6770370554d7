/** The words for caching, where only headers tell of it. */
import { hasDirective, parseCacheControl, deltaSeconds, type CacheDirective } from './cache-control.js';
import { formatDuration, YEAR } from './duration.js';
import type { ObjectHeaders } from '../site/site-object.js';

/** A Cache-Control header in a few words, for people. */
export function describeDirectives(directives: readonly CacheDirective[]): string {
  const has = (name: string): boolean => hasDirective(directives, name);
  if (has('no-store')) return 'never store';
  const fresh = deltaSeconds(directives, 'max-age');
  const shared = deltaSeconds(directives, 's-maxage');
  const asks = directives.some(({ name, value }) => name === 'no-cache' && value === undefined);
  const parts: string[] = [];
  if (asks || fresh === 0) parts.push('ask every time');
  else if (fresh !== undefined)
    parts.push(fresh >= YEAR && has('immutable') ? 'keep for good' : `keep ${formatDuration(fresh)}`);
  if (shared !== undefined) parts.push(`shared ${formatDuration(shared)}`);
  if (has('private')) parts.push('browser only');
  return parts.length > 0 ? parts.join(', ') : 'as the browser guesses';
}

/** The words for stored headers, when the policy behind them is not at hand. */
export function describeCaching(headers: ObjectHeaders): string {
  const value = headers['Cache-Control'];
  if (value !== undefined) return describeDirectives(parseCacheControl(value));
  return headers['Expires'] === undefined ? 'no cache header' : `keep until ${headers['Expires']}`;
}
