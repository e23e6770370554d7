/** Cache policies: what the config says, the headers that say it, and the words for it. */
import {
  formatCacheControl,
  parseCacheControl,
  deltaSeconds,
  hasDirective,
  type CacheDirective,
} from './cache-control.js';
import { formatDuration, parseDuration, YEAR } from './duration.js';
import { nearestWord } from '../words/nearest-word.js';
import { formatHttpDate } from './http-date.js';
import type { ObjectHeaders } from '../site/site-object.js';

export interface CachePolicy {
  /** The headers that the policy is sent as; none for `unset`. */
  readonly headers: ObjectHeaders;
  /** The policy in a few words, as `survey` prints it. */
  readonly words: string;
}

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

/** A fault in a cache value. `at` is the key inside a mapping where it stands. */
export interface CacheFault {
  readonly fault: string;
  readonly becomes?: string;
  readonly at?: string;
}

export type CacheResult = { readonly policy: CachePolicy } | { readonly faults: readonly CacheFault[] };

const WORDS = ['revalidate', 'never', 'forever', 'unset'] as const;
const EPOCH = formatHttpDate(0);

const control = (
  directives: readonly CacheDirective[],
  words: string,
  more: ObjectHeaders = {},
): CacheResult => ({
  policy: { headers: { 'Cache-Control': formatCacheControl(directives), ...more }, words },
});

const fault = (text: string, becomes?: string, at?: string): CacheResult => ({
  faults: [asFault(text, becomes, at)],
});

const asFault = (text: string, becomes?: string, at?: string): CacheFault => ({
  fault: text,
  ...(becomes === undefined ? {} : { becomes }),
  ...(at === undefined ? {} : { at }),
});

const seconds = (name: string, value: number): CacheDirective => ({ name, value: String(value) });

/** Reads any `cache:` value of the config. All faults of a mapping come at once. */
export function parseCache(value: unknown): CacheResult {
  if (typeof value === 'string') return parseCacheText(value.trim());
  if (typeof value === 'number') return parseCacheText(String(value));
  if (value instanceof Date) return parseCacheText(`until ${value.toISOString()}`);
  if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    return 'header' in value ? parseHeader(value) : parseMapping(value);
  }
  return fault('a cache value is a duration, a word or a mapping', '1 hour');
}

function parseCacheText(text: string): CacheResult {
  switch (text) {
    case 'revalidate':
      return control([{ name: 'no-cache' }], 'ask every time');
    case 'never':
      return control([{ name: 'no-store' }], 'never store');
    case 'forever':
      return control([seconds('max-age', YEAR), { name: 'immutable' }], 'keep for good');
    case 'unset':
      return { policy: { headers: {}, words: 'no cache header' } };
  }
  const same = SAME.get(text.toLowerCase());
  if (same !== undefined) return parseCacheText(same);
  // As survey says it.
  const kept = /^keep (?:for )?(.+)$/i.exec(text)?.[1];
  if (kept !== undefined) return parseCacheText(kept);
  if (/^until\b/.test(text)) return parseUntil(text.slice(5).trim());
  const asHeader = meantByHeader(text);
  if (asHeader !== undefined) return fault(`"${text}" is how the header says it`, asHeader);
  const duration = parseDuration(text);
  if ('seconds' in duration) {
    const over = overAYear(duration.seconds, text);
    return (
      over ?? control([seconds('max-age', duration.seconds)], `keep ${formatDuration(duration.seconds)}`)
    );
  }
  const meant = /^[a-z]/i.test(text)
    ? nearestWord(text.split(/\s/, 1)[0] ?? '', [...WORDS, 'until'])
    : undefined;
  if (meant !== undefined && meant === text.split(/\s/, 1)[0]) {
    return fault(`"${text}": ${meant} stands alone and takes no duration`, meant);
  }
  return meant === undefined
    ? fault(duration.fault, duration.becomes)
    : fault(`"${text}" is not a cache word`, meant);
}

/** The words in which `survey` shows a policy mean that policy. */
const SAME: ReadonlyMap<string, string> = new Map([
  ['ask every time', 'revalidate'],
  ['never store', 'never'],
  ['keep for good', 'forever'],
  ['no cache header', 'unset'],
]);

/** What is meant by the words of Cache-Control: ours, or the header as it is; undefined where they are none. */
function meantByHeader(text: string): string | undefined {
  switch (text.toLowerCase()) {
    case 'no-store':
      return 'never';
    case 'no-cache':
    case 'must-revalidate':
      return 'revalidate';
    case 'immutable':
      return 'forever';
    case 'private':
      return '{ fresh: 1 hour, keptBy: browser }';
    case 'public':
      return '1 hour';
  }
  const age = /^max-age\s*=\s*"?(\d{1,10})"?$/i.exec(text)?.[1];
  if (age !== undefined) return Number(age) === 0 ? 'revalidate' : formatDuration(Number(age));
  const directives = parseCacheControl(text);
  return directives.length > 0 && directives.every(({ name }) => HEADER_WORDS.has(name.toLowerCase()))
    ? `{ header: "${text}" }`
    : undefined;
}

const HEADER_WORDS = new Set([
  ...[
    'no-store',
    'no-cache',
    'must-revalidate',
    'proxy-revalidate',
    'must-understand',
    'no-transform',
    'immutable',
  ],
  ...['private', 'public', 'max-age', 's-maxage', 'stale-while-revalidate', 'stale-if-error'],
]);

const overAYear = (value: number, text: string, at?: string): CacheResult | undefined =>
  value > YEAR
    ? fault(`${text} is longer than a year, which RFC 9111 caches need not honour`, '1 year', at)
    : undefined;

function parseUntil(text: string): CacheResult {
  const shape = /^(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{2}:\d{2}(?::\d{2}(?:\.\d{1,3})?)?)Z?)?$/.exec(text);
  const moment = shape ? Date.parse(`${shape[1]}-${shape[2]}-${shape[3]}T${shape[4] ?? '00:00'}Z`) : NaN;
  const real = !Number.isNaN(moment) && new Date(moment).getUTCDate() === Number(shape?.[3]);
  if (!real) return fault(`"until ${text}" needs a date that exists, year first, in UTC`, 'until 2026-12-24');
  return { policy: { headers: { Expires: formatHttpDate(moment) }, words: `keep until ${text}` } };
}

function parseHeader(value: object): CacheResult {
  const entries = Object.entries(value);
  const header: unknown = entries.find(([name]) => name === 'header')?.[1];
  if (entries.length > 1) return fault('`header` stands alone: it is sent as written');
  if (typeof header !== 'string' || header.trim() === '')
    return fault('`header` takes the text of a Cache-Control header', undefined, 'header');
  if (/[^\t\x20-\x7e]/.test(header))
    return fault('a header value may hold only visible ASCII', undefined, 'header');
  return { policy: { headers: { 'Cache-Control': header.trim() }, words: `as written: ${header.trim()}` } };
}

function parseMapping(value: object): CacheResult {
  const faults: CacheFault[] = [];
  const map = value as CacheMapping & Record<string, unknown>;
  for (const name of Object.keys(value)) {
    if ((MAPPING_KEYS as readonly string[]).includes(name)) continue;
    faults.push(
      asFault(
        `"${name}" is not part of a cache mapping`,
        nearestWord(name, [...MAPPING_KEYS, 'header']),
        name,
      ),
    );
  }
  if (Object.keys(value).length === 0) faults.push(asFault('the cache mapping is empty', 'fresh: 1 hour'));
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
    const given = map[name];
    if (given !== undefined && typeof given !== 'boolean')
      faults.push(asFault(`"${name}" is true or false`, 'true', name));
    return given === true;
  };
  const fresh = length('fresh');
  const shared = length('shared');
  const whileRevalidating = length('whileRevalidating');
  const ifError = length('ifError');
  const [immutable, mustRevalidate, noTransform, http10] = [
    flag('immutable'),
    flag('mustRevalidate'),
    flag('noTransform'),
    flag('http10'),
  ];
  const fields = map.exceptFields;
  const given = map.keptBy;
  if (given !== undefined && given !== 'anyone' && given !== 'browser') {
    faults.push(
      asFault(
        `"${String(given)}" cannot keep anything`,
        nearestWord(String(given), ['anyone', 'browser']) ?? 'browser',
        'keptBy',
      ),
    );
  }
  if (
    fields !== undefined &&
    !(
      Array.isArray(fields) &&
      fields.length > 0 &&
      fields.every((field) => typeof field === 'string' && /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(field))
    )
  ) {
    faults.push(asFault('`exceptFields` lists header names', '[Set-Cookie]', 'exceptFields'));
  }
  const asks = map.fresh === 'revalidate';
  const never = map.fresh === 'never';
  const clash = (test: boolean, text: string, at: string): void => {
    if (test) faults.push(asFault(text, undefined, at));
  };
  clash(
    never && (shared !== undefined || whileRevalidating !== undefined || ifError !== undefined),
    '`fresh: never` stores nothing, so no duration can stand beside it',
    'fresh',
  );
  clash(
    never && (immutable || mustRevalidate),
    '`fresh: never` stores nothing, so there is nothing to revalidate or to call immutable',
    'fresh',
  );
  clash(
    asks && immutable,
    '`immutable` says that it never changes, `revalidate` asks every time whether it did: keep one',
    'immutable',
  );
  clash(
    immutable && fresh === undefined && !asks && !never,
    '`immutable` needs a `fresh` duration to hold for',
    'immutable',
  );
  clash(
    shared !== undefined && given === 'browser',
    '`shared` is for shared caches, which `keptBy: browser` keeps out',
    'shared',
  );
  clash(
    mustRevalidate && whileRevalidating !== undefined,
    '`whileRevalidating` serves what is stale, which `mustRevalidate` forbids',
    'whileRevalidating',
  );
  clash(
    mustRevalidate && ifError !== undefined,
    '`ifError` serves what is stale, which `mustRevalidate` forbids',
    'ifError',
  );
  clash(
    http10 && !asks && !never && fresh !== 0,
    '`http10` can only say "expired" or nothing true: it goes with fresh: 0, revalidate or never',
    'http10',
  );
  if (faults.length > 0) return { faults };

  const directives: CacheDirective[] = [];
  if (given !== undefined) directives.push({ name: given === 'browser' ? 'private' : 'public' });
  if (never) directives.push({ name: 'no-store' });
  if (asks) directives.push({ name: 'no-cache' });
  else if (fields !== undefined) directives.push({ name: 'no-cache', value: fields.join(', ') });
  if (fresh !== undefined) directives.push(seconds('max-age', fresh));
  if (shared !== undefined) directives.push(seconds('s-maxage', shared));
  if (mustRevalidate) directives.push({ name: 'must-revalidate' });
  if (noTransform) directives.push({ name: 'no-transform' });
  if (immutable) directives.push({ name: 'immutable' });
  if (whileRevalidating !== undefined) directives.push(seconds('stale-while-revalidate', whileRevalidating));
  if (ifError !== undefined) directives.push(seconds('stale-if-error', ifError));
  return control(
    directives,
    describeDirectives(directives),
    http10 ? { Pragma: 'no-cache', Expires: EPOCH } : {},
  );
}

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
