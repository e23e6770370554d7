/** A cache value that is written as a mapping. */
import type { CacheDirective } from './cache-control.js';
import { asFault, control, seconds, type CacheFault, type CacheResult } from './cache-result.js';
import { describeDirectives } from './describe-caching.js';
import { parseDuration, YEAR } from './duration.js';
import { formatHttpDate } from './http-date.js';
import { nearestWord } from '../words/nearest-word.js';

export interface CacheMapping {
  readonly fresh?: string | number;
  readonly shared?: string | number;
  readonly keptBy?: 'anyone' | 'browser';
  readonly immutable?: boolean;
  readonly mustRevalidate?: boolean;
  readonly whileRevalidating?: string;
  readonly ifError?: string;
  readonly noTransform?: boolean;
  readonly exceptFields?: readonly string[];
  readonly http10?: boolean;
}

export const MAPPING_KEYS = [
  'fresh',
  'shared',
  'keptBy',
  'immutable',
  'mustRevalidate',
  'whileRevalidating',
  'ifError',
  'noTransform',
  'exceptFields',
  'http10',
] as const;

const EPOCH = formatHttpDate(0);

/** What a mapping says, whatever of it can be understood. Lengths are seconds. */
interface Parts {
  readonly fresh: number | undefined;
  readonly shared: number | undefined;
  readonly whileRevalidating: number | undefined;
  readonly ifError: number | undefined;
  readonly immutable: boolean;
  readonly mustRevalidate: boolean;
  readonly noTransform: boolean;
  readonly http10: boolean;
  readonly keptBy: 'anyone' | 'browser' | undefined;
  readonly exceptFields: readonly string[] | undefined;
  readonly asks: boolean;
  readonly never: boolean;
}

/** All faults come at once. */
export function parseMapping(value: object): CacheResult {
  const faults = listUnknown(value);
  const parts = readParts(value as CacheMapping, faults);
  faults.push(...CLASHES.flatMap(([test, text, at]) => (test(parts) ? [asFault(text, undefined, at)] : [])));
  if (faults.length > 0) return { faults };
  const directives = listDirectives(parts);
  return control(
    directives,
    describeDirectives(directives),
    parts.http10 ? { Pragma: 'no-cache', Expires: EPOCH } : {},
  );
}

function listUnknown(value: object): CacheFault[] {
  const names = Object.keys(value);
  if (names.length === 0) return [asFault('the cache mapping is empty', 'fresh: 1 hour')];
  return names
    .filter((name) => !(MAPPING_KEYS as readonly string[]).includes(name))
    .map((name) =>
      asFault(
        `"${name}" is not part of a cache mapping`,
        nearestWord(name, [...MAPPING_KEYS, 'header']),
        name,
      ),
    );
}

/** @param faults takes what is wrong */
function readParts(map: CacheMapping, faults: CacheFault[]): Parts {
  const length = (name: 'fresh' | 'shared' | 'whileRevalidating' | 'ifError'): number | undefined => {
    const given = map[name];
    if (given === undefined || given === 'revalidate' || given === 'never') return undefined;
    const parsed = given === 0 ? { seconds: 0 } : parseDuration(String(given));
    if ('fault' in parsed) {
      faults.push(asFault(parsed.fault, parsed.becomes, name));
      return undefined;
    }
    if (parsed.seconds > YEAR) faults.push(asFault(`${String(given)} is longer than a year`, '1 year', name));
    return parsed.seconds;
  };
  const flag = (name: 'immutable' | 'mustRevalidate' | 'noTransform' | 'http10'): boolean => {
    const given: unknown = map[name];
    if (given !== undefined && typeof given !== 'boolean')
      faults.push(asFault(`"${name}" is true or false`, 'true', name));
    return given === true;
  };
  return {
    fresh: length('fresh'),
    shared: length('shared'),
    whileRevalidating: length('whileRevalidating'),
    ifError: length('ifError'),
    immutable: flag('immutable'),
    mustRevalidate: flag('mustRevalidate'),
    noTransform: flag('noTransform'),
    http10: flag('http10'),
    keptBy: readKeptBy(map.keptBy, faults),
    exceptFields: readFields(map.exceptFields, faults),
    asks: map.fresh === 'revalidate',
    never: map.fresh === 'never',
  };
}

function readKeptBy(given: unknown, faults: CacheFault[]): Parts['keptBy'] {
  if (given === undefined || given === 'anyone' || given === 'browser') return given;
  const becomes = nearestWord(String(given), ['anyone', 'browser']) ?? 'browser';
  faults.push(asFault(`"${String(given)}" cannot keep anything`, becomes, 'keptBy'));
  return undefined;
}

const FIELD = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;

function readFields(given: unknown, faults: CacheFault[]): readonly string[] | undefined {
  if (given === undefined) return undefined;
  const fields: readonly unknown[] = Array.isArray(given) ? given : [];
  const names = fields.filter((field) => typeof field === 'string' && FIELD.test(field)) as string[];
  if (names.length > 0 && names.length === fields.length) return names;
  faults.push(asFault('`exceptFields` lists header names', '[Set-Cookie]', 'exceptFields'));
  return undefined;
}

/** What cannot stand beside what: when, why, and the key that is named. */
const CLASHES: readonly (readonly [(parts: Parts) => boolean, text: string, at: string])[] = [
  [
    ({ never, shared, whileRevalidating, ifError }) =>
      never && (shared !== undefined || whileRevalidating !== undefined || ifError !== undefined),
    '`fresh: never` stores nothing, so no duration can stand beside it',
    'fresh',
  ],
  [
    ({ never, immutable, mustRevalidate }) => never && (immutable || mustRevalidate),
    '`fresh: never` stores nothing, so there is nothing to revalidate or to call immutable',
    'fresh',
  ],
  [
    ({ asks, immutable }) => asks && immutable,
    '`immutable` says that it never changes, `revalidate` asks every time whether it did: keep one',
    'immutable',
  ],
  [
    ({ immutable, fresh, asks, never }) => immutable && fresh === undefined && !asks && !never,
    '`immutable` needs a `fresh` duration to hold for',
    'immutable',
  ],
  [
    ({ shared, keptBy }) => shared !== undefined && keptBy === 'browser',
    '`shared` is for shared caches, which `keptBy: browser` keeps out',
    'shared',
  ],
  [
    ({ mustRevalidate, whileRevalidating }) => mustRevalidate && whileRevalidating !== undefined,
    '`whileRevalidating` serves what is stale, which `mustRevalidate` forbids',
    'whileRevalidating',
  ],
  [
    ({ mustRevalidate, ifError }) => mustRevalidate && ifError !== undefined,
    '`ifError` serves what is stale, which `mustRevalidate` forbids',
    'ifError',
  ],
  [
    ({ http10, asks, never, fresh }) => http10 && !asks && !never && fresh !== 0,
    '`http10` can only say "expired" or nothing true: it goes with fresh: 0, revalidate or never',
    'http10',
  ],
];

function listDirectives(parts: Parts): CacheDirective[] {
  const { keptBy, never, asks, exceptFields, fresh, shared, whileRevalidating, ifError } = parts;
  const directives: CacheDirective[] = [];
  if (keptBy !== undefined) directives.push({ name: keptBy === 'browser' ? 'private' : 'public' });
  if (never) directives.push({ name: 'no-store' });
  if (asks) directives.push({ name: 'no-cache' });
  else if (exceptFields !== undefined) directives.push({ name: 'no-cache', value: exceptFields.join(', ') });
  if (fresh !== undefined) directives.push(seconds('max-age', fresh));
  if (shared !== undefined) directives.push(seconds('s-maxage', shared));
  if (parts.mustRevalidate) directives.push({ name: 'must-revalidate' });
  if (parts.noTransform) directives.push({ name: 'no-transform' });
  if (parts.immutable) directives.push({ name: 'immutable' });
  if (whileRevalidating !== undefined) directives.push(seconds('stale-while-revalidate', whileRevalidating));
  if (ifError !== undefined) directives.push(seconds('stale-if-error', ifError));
  return directives;
}
