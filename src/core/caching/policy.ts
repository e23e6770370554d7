/** Cache policies: what the config says, and the headers that say it. */
import { parseCacheControl } from './cache-control.js';
import { control, fault, seconds, type CacheResult } from './cache-result.js';
import { parseMapping } from './mapping.js';
import { formatDuration, parseDuration, YEAR } from './duration.js';
import { nearestWord } from '../words/nearest-word.js';
import { formatHttpDate } from './http-date.js';

const WORDS = ['revalidate', 'never', 'forever', 'unset'] as const;
/** Reads any `cache:` value of the config. All faults of a mapping come at once. */
export function parseCache(value: unknown): CacheResult {
  if (typeof value === 'string') return parseCacheText(value.trim());
  if (typeof value === 'number' && value <= 0)
    return fault(`"${value}" is no time to keep it for`, 'revalidate');
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
  const elsewhere = ELSEWHERE.get(text.toLowerCase());
  if (elsewhere !== undefined)
    return fault(`"${text}" is not a cache word: ${describeWords(elsewhere)}`, elsewhere);
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

/** What each word does, for whoever brings another one. */
const DOES: Readonly<Record<string, string>> = {
  forever: 'forever keeps it for a year and asks nobody',
  revalidate: 'revalidate keeps it and asks every time',
  never: 'never stores nothing at all',
  unset: 'unset sends no header, so that browsers guess',
};

/** The word that is near, and those that may have been meant as well. */
const describeWords = (word: string): string =>
  word === 'forever'
    ? (DOES['forever'] ?? '')
    : [word, ...['revalidate', 'never', 'unset'].filter((each) => each !== word)]
        .map((each) => DOES[each])
        .join(', ');

/** Words that people bring from elsewhere. */
const ELSEWHERE: ReadonlyMap<string, string> = new Map(
  Object.entries({
    forever: ['max', 'maximum', 'infinite', 'infinity', 'always', 'permanent', 'long'],
    revalidate: ['epoch', 'off', 'none', 'immediately', 'no', 'no cache', 'now', 'validate', 'disabled'],
    unset: ['default', 'nothing', 'null', 'auto'],
    never: ['no store', 'nostore'],
  }).flatMap(([ours, theirs]) => theirs.map((word) => [word, ours] as const)),
);

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
    ? `{ header: ${text.includes('"') ? `'${text}'` : `"${text}"`} }`
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
