/** What caches may do with an object, from the headers that it is sent with (RFC 9111 sections 3 and 4.2). */
import type { ObjectHeaders } from '../site/site-object.js';
import { deltaSeconds, hasDirective, parseCacheControl, type CacheDirective } from './cache-control.js';
import { parseHttpDate } from './http-date.js';

// A site has few different headers and many objects.
const parsed = new Map<string, CacheDirective[]>();

function directivesOf(headers: ObjectHeaders): readonly CacheDirective[] {
  const value = headers['Cache-Control'];
  if (value === undefined) return [];
  let directives = parsed.get(value);
  if (!directives) parsed.set(value, (directives = parseCacheControl(value)));
  return directives;
}

/** The freshness lifetime in seconds; 0 when every use must ask, undefined when the headers give none. */
export function freshness(headers: ObjectHeaders, now: number): number | undefined {
  const directives = directivesOf(headers);
  if (
    directives.some(({ name, value }) => name === 'no-cache' && value === undefined) ||
    hasDirective(directives, 'no-store')
  )
    return 0;
  const seconds = deltaSeconds(directives, 'max-age');
  if (seconds !== undefined) return seconds;
  const expires = headers['Expires'];
  if (expires === undefined) return undefined;
  return Math.max(0, Math.floor(((parseHttpDate(expires) ?? 0) - now) / 1000));
}

export const isNeverStored = (headers: ObjectHeaders): boolean =>
  hasDirective(directivesOf(headers), 'no-store');

/** Whether a cache that serves many people may keep it. */
export const isKeptByShared = (headers: ObjectHeaders): boolean => {
  const directives = directivesOf(headers);
  return (
    !hasDirective(directives, 'no-store') &&
    !directives.some(({ name, value }) => name === 'private' && value === undefined)
  );
};
