/** The lines of `assign` with which returning visitors ask for least, where nobody may see anything old for longer than allowed. */
import { createCascade } from '../assign/cascade.js';
import { isFeed, isPage } from '../assign/defaults.js';
import { findRules, type FoundRules, type WantedObject } from '../assign/find-rules.js';
import { essence } from '../assign/media-type.js';
import { ASSIGNABLE } from '../assign/properties.js';
import type { CachePolicy } from '../caching/cache-result.js';
import { hasDirective, parseCacheControl } from '../caching/cache-control.js';
import { formatDuration, YEAR } from '../caching/duration.js';
import { freshnessOf } from '../caching/freshness.js';
import { parseCache } from '../caching/policy.js';
import type { ChangeHistory } from '../release/change-history.js';
import { hasContentHash } from '../site/names.js';
import type { ObjectHeaders } from '../site/site-object.js';

export interface CachedThing {
  readonly key: string;
  /** The name that patterns match, where its own is a versioned one. */
  readonly plain?: string | undefined;
  readonly headers: ObjectHeaders;
  readonly isText: boolean;
}

/** For how long an object may be kept. */
export type Permitted =
  /** Its name changes with its bytes, so a copy of it is never old. */
  | { readonly kind: 'for good' }
  /** It has not changed for so many seconds of history. */
  | { readonly kind: 'unchanged'; readonly seconds: number }
  /** What it changes to may be seen that much later, in seconds. */
  | { readonly kind: 'bound'; readonly seconds: number }
  /** Somebody has said that no cache may keep it, or not everybody's. */
  | { readonly kind: 'as it is' };

/** @param bound seconds for which anything may be seen that is old */
export function permittedFor(
  { key, plain, headers }: CachedThing,
  history: ChangeHistory | undefined,
  bound: number,
): Permitted {
  const { by } = freshnessOf({ status: 200, headers, at: 0 });
  if (by === 'no-store' || hasDirective(parseCacheControl(headers['Cache-Control'] ?? ''), 'private'))
    return { kind: 'as it is' };
  if (plain !== undefined || hasContentHash(key)) return { kind: 'for good' };
  const type = essence(headers['Content-Type'] ?? '');
  // What stands there for others to come back to changes sooner or later.
  const isRead = isPage(type) || isFeed(type);
  if (history && !isRead && history.releases >= LEAST && !history.changes.has(key)) {
    const seconds = Math.min(YEAR, roundDown(history.span));
    if (seconds > bound) return { kind: 'unchanged', seconds };
  }
  return { kind: 'bound', seconds: bound };
}

/** Fewer releases say nothing of how often something changes. */
const LEAST = 3;

/** To whole days, hours or minutes: nobody writes 86,399 seconds. */
function roundDown(seconds: number): number {
  const unit = [86_400, 3600, 60].find((each) => seconds >= each) ?? 1;
  return Math.floor(seconds / unit) * unit;
}

/** The policy of what is permitted; undefined where it stays as it is. */
function policyFor(permitted: Permitted): CachePolicy | undefined {
  if (permitted.kind === 'as it is') return undefined;
  if (permitted.kind === 'for good') return read('forever');
  return read(permitted.seconds === 0 ? 'revalidate' : formatDuration(permitted.seconds));
}

function read(text: string): CachePolicy {
  const result = parseCache(text);
  if ('faults' in result) throw new TypeError(`${text} is no cache value`);
  return result.policy;
}

export interface BestLines {
  /** Seconds. */
  readonly bound: number;
  readonly found: FoundRules;
  /** By key, what each object is sent with then. */
  readonly caching: ReadonlyMap<string, ObjectHeaders>;
  /** By the number of a rule; 0 for what no rule decides. */
  readonly lines: ReadonlyMap<number, LineFacts>;
}

export interface LineFacts {
  readonly keys: readonly string[];
  /** Releases of the past in which something of it changed: whoever had a copy would have seen it old. */
  readonly seenOld: number;
  /** How many of its objects have their lifetime by not having changed so far. */
  readonly unchanged: number;
}

/** @param objects of the release, whatever asks for them */
export function findBestLines(
  objects: readonly CachedThing[],
  history: ChangeHistory | undefined,
  bound: number,
): BestLines {
  const permitted = new Map(objects.map((each) => [each.key, permittedFor(each, history, bound)]));
  const plain = new Map<string, CachedThing>();
  // Under its plain name an object is what patterns match; a versioned one beside it follows by its own default.
  for (const each of objects) if (each.plain === undefined) plain.set(each.key, each);
  const wanted = [...plain.values()].map(({ key, headers, isText }): WantedObject => {
    const policy = policyFor(permitted.get(key) ?? { kind: 'as it is' });
    return {
      key,
      textual: isText,
      wanted: {
        contentType: headers['Content-Type'] ?? null,
        cache: policy ?? { headers: cacheHeadersOf(headers), words: 'as it is' },
        encoding: headers['Content-Encoding'] ?? null,
        language: headers['Content-Language'] ?? null,
        disposition: headers['Content-Disposition'] ?? null,
      },
    };
  });
  const found = shortest(wanted, policyFor({ kind: 'bound', seconds: bound }));
  const cascade = createCascade({ file: '', ...found });
  const caching = new Map<string, ObjectHeaders>();
  const lines = new Map<number, { keys: string[]; old: Set<number>; unchanged: number }>();
  for (const { key, plain: name, isText } of objects) {
    const { headers, decidedBy } = cascade.decide(name ?? key, isText, name === undefined);
    caching.set(key, cacheHeadersOf(headers));
    const rule = decidedBy.cache?.rule ?? 0;
    const line = lines.get(rule) ?? { keys: [], old: new Set<number>(), unchanged: 0 };
    line.keys.push(key);
    for (const release of history?.changes.get(key) ?? []) if (isKept(headers)) line.old.add(release);
    if (permitted.get(key)?.kind === 'unchanged') line.unchanged++;
    lines.set(rule, line);
  }
  return {
    bound,
    found,
    caching,
    lines: new Map(
      [...lines].map(([rule, { keys, old, unchanged }]) => [rule, { keys, seenOld: old.size, unchanged }]),
    ),
  };
}

/** Most may be kept for as long as the bound: a line for all, and those that are exceptions, is often said in fewer words. */
function shortest(wanted: readonly WantedObject[], general: CachePolicy | undefined): FoundRules {
  const plain = findRules(wanted);
  const other = findRules(wanted, general);
  return other.left.length <= plain.left.length && wordsOf(other) < wordsOf(plain) ? other : plain;
}

/** A line more is worth as much as a few patterns fewer. */
const wordsOf = ({ rules, otherwise }: FoundRules): number =>
  rules.reduce((sum, { to = [], type = [] }) => sum + 3 + to.length + type.length, otherwise ? 3 : 0);

const cacheHeadersOf = (headers: ObjectHeaders): ObjectHeaders =>
  Object.fromEntries(
    ASSIGNABLE.cache.headers.flatMap((name) => (headers[name] === undefined ? [] : [[name, headers[name]]])),
  );

const isKept = (headers: ObjectHeaders): boolean => freshnessOf({ status: 200, headers, at: 0 }).lifetime > 0;
