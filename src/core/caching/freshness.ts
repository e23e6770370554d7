/**
 * How long an answer may be used again without asking: RFC 9111 sections 4.2 and 5.2, RFC 5861, where they leave room
 * as browsers fill it (docs/visits.md). A browser's cache is meant, which belongs to one person.
 */
import type { ObjectHeaders } from '../site/site-object.js';
import { deltaSeconds, parseCacheControl, type CacheDirective } from './cache-control.js';
import { parseHttpDate } from './http-date.js';

/** An answer as a cache holds it. */
export interface KeptAnswer {
  readonly status: number;
  /** Names in their usual spelling or in lower case; of a repeated one the values joined by commas. */
  readonly headers: ObjectHeaders;
  /** When it came, or was last confirmed by a 304: milliseconds since the epoch. */
  readonly at: number;
}

/** Which part of the headers decides. */
export type Decider =
  'no-store' | 'no-cache' | 'pragma' | 'vary' | 'max-age' | 'expires' | 'heuristic' | 'status' | 'none';

export interface Freshness {
  /** The freshness lifetime in seconds; Infinity for what is kept for ever, 0 where every use asks. */
  readonly lifetime: number;
  readonly by: Decider;
  /** Seconds after it for which a stale copy is used while it is asked for (RFC 5861 section 3). */
  readonly staleWhileRevalidate: number;
}

/** Reads a header however its name is spelled. */
export const fieldOf = (headers: ObjectHeaders, name: string): string | undefined =>
  headers[name] ?? headers[name.toLowerCase()];

// A site has few different headers and many objects.
const parsed = new Map<string, readonly CacheDirective[]>();
const MAX_PARSED = 2000;

/** What Cache-Control says; of few different texts, which are read once. */
export function directivesOf(headers: ObjectHeaders): readonly CacheDirective[] {
  const value = fieldOf(headers, 'Cache-Control');
  if (value === undefined) return [];
  let directives = parsed.get(value);
  if (!directives) {
    if (parsed.size >= MAX_PARSED) parsed.clear();
    parsed.set(value, (directives = parseCacheControl(value)));
  }
  return directives;
}

/** A directive that is meant for the whole answer: the form that names fields is passed over, as browsers do. */
const has = (directives: readonly CacheDirective[], wanted: string): boolean =>
  directives.some(({ name, value }) => name === wanted && value === undefined);

/** Whether a cache may not keep it at all, with whatever argument it is written. */
export const isNeverStored = (headers: ObjectHeaders): boolean =>
  directivesOf(headers).some(({ name }) => name === 'no-store');

/** Whether a cache that serves many people may keep it. */
export const isKeptByShared = (headers: ObjectHeaders): boolean =>
  !isNeverStored(headers) && !has(directivesOf(headers), 'private');

/** Statuses whose answers are kept without a word from the server (RFC 9110 section 15.1), for a tenth of their age. */
const HEURISTIC = new Set([200, 203, 206]);
/** Kept for ever unless the headers say otherwise. */
const LASTING = new Set([300, 301, 308, 410]);
/** Answers with these can be confirmed by a 304; of others a new one is asked for. */
const CONFIRMED = new Set([200, 203, 206]);

export const isConfirmable = ({ status, headers }: KeptAnswer): boolean =>
  CONFIRMED.has(status) &&
  (fieldOf(headers, 'ETag') !== undefined || fieldOf(headers, 'Last-Modified') !== undefined);

export function freshnessOf(answer: KeptAnswer): Freshness {
  const { headers, status } = answer;
  const directives = directivesOf(headers);
  const never = (by: Decider): Freshness => ({ lifetime: 0, by, staleWhileRevalidate: 0 });
  if (isNeverStored(headers)) return never('no-store');
  if (has(directives, 'no-cache')) return never('no-cache');
  if (/(?:^|,)\s*no-cache\s*(?:,|$)/i.test(fieldOf(headers, 'Pragma') ?? '')) return never('pragma');
  if (/(?:^|,)\s*\*\s*(?:,|$)/.test(fieldOf(headers, 'Vary') ?? '')) return never('vary');
  const strict = has(directives, 'must-revalidate');
  const grace = strict ? 0 : (deltaSeconds(directives, 'stale-while-revalidate') ?? 0);
  const explicit = explicitLifetime(answer);
  if (explicit) return { ...explicit, staleWhileRevalidate: grace };
  if (!strict && HEURISTIC.has(status)) {
    const modified = parseHttpDate(fieldOf(headers, 'Last-Modified') ?? '');
    const date = dateOf(answer);
    // RFC 9111 section 4.2.2 suggests a tenth, and browsers take it.
    if (modified !== undefined && modified <= date)
      return { lifetime: (date - modified) / 10_000, by: 'heuristic', staleWhileRevalidate: grace };
  }
  if (!strict && LASTING.has(status))
    return { lifetime: Infinity, by: 'status', staleWhileRevalidate: grace };
  return { lifetime: 0, by: 'none', staleWhileRevalidate: grace };
}

/** The lifetime that the server has set itself. */
function explicitLifetime(answer: KeptAnswer): Pick<Freshness, 'lifetime' | 'by'> | undefined {
  const { headers } = answer;
  const seconds = deltaSeconds(directivesOf(headers), 'max-age');
  if (seconds !== undefined) return { lifetime: seconds, by: 'max-age' };
  const expires = fieldOf(headers, 'Expires');
  if (expires === undefined) return undefined;
  // `0` is the one text that is no date and yet says that it is over.
  const until = expires.trim() === '0' ? -Infinity : parseHttpDate(expires.trim());
  if (until === undefined) return undefined;
  return { lifetime: Math.max(0, (until - dateOf(answer)) / 1000), by: 'expires' };
}

/** Without a Date it was sent when it came, in the whole seconds that dates carry. */
export const dateOf = ({ headers, at }: KeptAnswer): number =>
  parseHttpDate(fieldOf(headers, 'Date') ?? '') ?? Math.floor(at / 1000) * 1000;

/** The age in seconds (RFC 9111 section 4.2.3), with answers that take no time. */
export function ageOf(answer: KeptAnswer, now: number): number {
  const { headers, at } = answer;
  const age = fieldOf(headers, 'Age')?.trim() ?? '';
  const apparent = Math.max(0, at - dateOf(answer));
  const said = /^\d+$/.test(age) ? Math.min(Number(age), 2_147_483_648) * 1000 : 0;
  return (Math.max(apparent, said) + Math.max(0, now - at)) / 1000;
}

/** What may be done with a kept answer. */
export type Reuse =
  | { readonly kind: 'fresh'; readonly left: number; readonly by: Decider }
  /** Stale, and used all the same while it is asked for. */
  | { readonly kind: 'grace'; readonly by: Decider }
  /** Conditionally where it can be confirmed. */
  | { readonly kind: 'ask'; readonly conditional: boolean; readonly by: Decider };

/** What of an answer does not change while it is held. */
export interface Judged extends Freshness {
  /** Seconds that it had when it came. */
  readonly ageAtFirst: number;
}

export const judge = (answer: KeptAnswer): Judged => ({
  ...freshnessOf(answer),
  ageAtFirst: ageOf(answer, answer.at),
});

/**
 * @param graceful whether a stale copy may be used meanwhile: not for documents and frames
 * @param judged of the answer, where that is known
 */
export function decideReuse(
  answer: KeptAnswer,
  now: number,
  graceful: boolean,
  judged: Judged = judge(answer),
): Reuse {
  const { lifetime, by, staleWhileRevalidate: grace } = judged;
  const age = judged.ageAtFirst + Math.max(0, now - answer.at) / 1000;
  if (lifetime > age) return { kind: 'fresh', left: lifetime - age, by };
  if (graceful && lifetime + grace > age) return { kind: 'grace', by };
  return { kind: 'ask', conditional: isConfirmable(answer), by };
}

/**
 * The seconds for which headers alone let an object be used without asking; 0 when every use must ask, undefined
 * when they say nothing.
 */
export function freshness(headers: ObjectHeaders, now: number): number | undefined {
  if (said?.headers === headers && said.now === now) return said.seconds;
  const { lifetime, by } = freshnessOf({ status: 200, headers, at: now });
  const seconds = by === 'none' || by === 'heuristic' ? undefined : Math.floor(lifetime);
  said = { headers, now, seconds };
  return seconds;
}

/**
 * The seconds for which a browser shows a copy that it loads now without waiting for anybody: also while it asks behind
 * the visitor's back, which it does not for documents and frames (RFC 5861 section 3). 0 where every use waits, or where
 * headers say nothing.
 */
export function shownFor(headers: ObjectHeaders, now: number, isDocument: boolean): number {
  const seconds = freshness(headers, now);
  if (seconds === undefined || isDocument) return seconds ?? 0;
  return seconds + freshnessOf({ status: 200, headers, at: now }).staleWhileRevalidate;
}

/** What was said last: many objects share their headers, and are asked for one after the other. */
let said:
  { readonly headers: ObjectHeaders; readonly now: number; readonly seconds: number | undefined } | undefined;

const NOT_CHANGED = new Set(['content-length', 'content-encoding', 'content-range', 'transfer-encoding']);

/** What a cache holds after a 304 (RFC 9111 sections 3.2 and 4.3.4): what it did not name stays as it was. */
export function confirm(kept: KeptAnswer, headers: ObjectHeaders, at: number): KeptAnswer {
  // Nothing but the time has changed.
  if (kept.headers === headers) return { ...kept, at };
  const names = new Map(Object.keys(kept.headers).map((name) => [name.toLowerCase(), name]));
  const changed = { ...kept.headers };
  for (const [name, value] of Object.entries(headers))
    if (!NOT_CHANGED.has(name.toLowerCase())) changed[names.get(name.toLowerCase()) ?? name] = value;
  return { status: kept.status, headers: changed, at };
}
