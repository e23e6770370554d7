/** Cache headers as somebody sent them, and the config value that says the same. */
import type { ObjectHeaders } from '../site/site-object.js';
import { parseCacheControl, type CacheDirective } from './cache-control.js';
import type { CachePolicy } from './cache-result.js';
import { formatDuration } from './duration.js';
import { parseHttpDate } from './http-date.js';
import type { CacheMapping } from './mapping.js';
import { parseCache } from './policy.js';

/** A value of `cache:`, and what it is sent as. */
export interface WrittenCache {
  readonly value: string | CacheMapping | { readonly header: string };
  readonly policy: CachePolicy;
}

/**
 * The simplest value that says what the headers say; directives may come in another order.
 * @param headers Cache-Control, Expires and Pragma where they are sent
 * @returns undefined where no value does
 */
export function writeCache(headers: ObjectHeaders): WrittenCache | undefined {
  const text = headers['Cache-Control'];
  if (text === undefined) {
    if (headers['Expires'] === undefined) return accept('unset');
    const until = parseHttpDate(headers['Expires']);
    return until === undefined ? undefined : accept(`until ${new Date(until).toISOString()}`);
  }
  const wanted = markOf(headers);
  for (const value of listValues(text, headers)) {
    const written = accept(value);
    if (written && markOf(written.policy.headers) === wanted) return written;
  }
  return undefined;
}

/** Values that may say it, the simplest first. */
function* listValues(text: string, headers: ObjectHeaders): Generator<WrittenCache['value']> {
  yield* ['revalidate', 'never', 'forever'];
  const directives = parseCacheControl(text);
  const age = secondsOf(directives, 'max-age');
  if (age !== undefined) yield age;
  const mapping = mappingOf(directives);
  if (mapping) yield headers['Pragma'] === undefined ? mapping : { ...mapping, http10: true };
  yield { header: text };
}

function accept(value: WrittenCache['value']): WrittenCache | undefined {
  const result = parseCache(value);
  return 'policy' in result ? { value, policy: result.policy } : undefined;
}

/** Equal for what says the same. */
function markOf(headers: ObjectHeaders): string {
  const directives = parseCacheControl(headers['Cache-Control'] ?? '');
  const texts = directives.map(({ name, value }) => (value === undefined ? name : `${name}=${value}`));
  return JSON.stringify([texts.sort(), headers['Expires'] ?? null, headers['Pragma'] ?? null]);
}

function secondsOf(directives: readonly CacheDirective[], name: string): string | undefined {
  const value = directives.find((each) => each.name === name)?.value;
  if (value === undefined || !/^\d{1,9}$/.test(value)) return undefined;
  const text = formatDuration(Number(value));
  const again = parseCache(text);
  const isSame = 'policy' in again && again.policy.headers['Cache-Control'] === `max-age=${Number(value)}`;
  return isSame ? text : `${Number(value)} seconds`;
}

/** Undefined where a directive has no place in a mapping. */
function mappingOf(directives: readonly CacheDirective[]): CacheMapping | undefined {
  const parts: Record<string, unknown> = {};
  for (const { name, value } of directives) {
    const place = PLACES.get(name);
    if (!place) return undefined;
    const [key, given] = place(value, directives);
    if (given === undefined || Object.hasOwn(parts, key)) return undefined;
    parts[key] = given;
  }
  return parts;
}

type Place = (
  value: string | undefined,
  all: readonly CacheDirective[],
) => readonly [keyof CacheMapping, unknown];
const flag =
  (key: keyof CacheMapping, given: unknown = true): Place =>
  (value) => [key, value === undefined ? given : undefined];
const length =
  (key: keyof CacheMapping, name: string): Place =>
  (_value, all) => {
    const text = secondsOf(all, name);
    return [key, text === '0 seconds' ? 0 : text];
  };

/** Where each directive stands in a mapping. */
const PLACES: ReadonlyMap<string, Place> = new Map<string, Place>([
  ['public', flag('keptBy', 'anyone')],
  ['private', flag('keptBy', 'browser')],
  ['no-store', flag('fresh', 'never')],
  [
    'no-cache',
    (value) =>
      value === undefined
        ? ['fresh', 'revalidate']
        : ['exceptFields', value.split(',').map((each) => each.trim())],
  ],
  ['max-age', length('fresh', 'max-age')],
  ['s-maxage', length('shared', 's-maxage')],
  ['must-revalidate', flag('mustRevalidate')],
  ['no-transform', flag('noTransform')],
  ['immutable', flag('immutable')],
  ['stale-while-revalidate', length('whileRevalidating', 'stale-while-revalidate')],
  ['stale-if-error', length('ifError', 'stale-if-error')],
]);
