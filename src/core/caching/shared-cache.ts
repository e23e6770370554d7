/**
 * A cache that serves everybody (RFC 9111), without a network and without a clock of its own: what is asked is decided,
 * what came is taken, and the least recently used goes first.
 */
import { LRUCache } from 'lru-cache';
import type { ObjectHeaders } from '../site/site-object.js';
import { ownValue } from '../words/own-value.js';
import { deltaSeconds, hasDirective } from './cache-control.js';
import { conditionsFor } from './request-fields.js';
import { ageOf, confirm, directivesOf, fieldOf, type KeptAnswer } from './freshness.js';
import {
  canConfirm,
  decideKeeping,
  sharedFreshnessOf,
  type NotKept,
  type SharedFreshness,
} from './shared-freshness.js';

export interface FrontRequest {
  readonly method: string;
  /** Scheme, host and target: `https://www.mill.example/visit/?day=2`. */
  readonly url: string;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string>>;
}

/** @typeParam Body whatever holds the bytes; the cache never looks into it */
export interface Entry<Body> extends KeptAnswer {
  readonly body: Body;
  readonly bytes: number;
  /** What the request had of the headers that Vary names. */
  readonly varies: Readonly<Record<string, string | undefined>>;
  /** Worked out once: it is looked at for each request. */
  readonly freshness: SharedFreshness;
  /** Since when it ages: milliseconds since the epoch. */
  readonly born: number;
}

/** An answer as it is kept. */
export const makeEntry = <Body>(
  answer: KeptAnswer & Pick<Entry<Body>, 'body' | 'bytes'>,
  varies: Entry<Body>['varies'],
): Entry<Body> => ({
  ...answer,
  varies,
  freshness: sharedFreshnessOf(answer),
  born: answer.at - ageOf(answer, answer.at) * 1000,
});

/** Seconds. */
export const entryAge = ({ born, at }: Pick<Entry<unknown>, 'born' | 'at'>, now: number): number =>
  (Math.max(now, at) - born) / 1000;

/** Why the bucket is asked (RFC 9211 section 2.2). */
export type Forward = 'uri-miss' | 'vary-miss' | 'stale' | 'request' | 'method' | 'bypass';

export type Look<Body> =
  | { readonly kind: 'hit'; readonly entry: Entry<Body>; readonly age: number; readonly left: number }
  /** Stale, and used while it is asked for behind the visitor's back. */
  | { readonly kind: 'grace'; readonly entry: Entry<Body>; readonly age: number; readonly left: number }
  | {
      readonly kind: 'ask';
      readonly forward: Forward;
      /** What is confirmed, where it can be. */
      readonly entry?: Entry<Body>;
      /** Headers that make the question conditional, in lower case. */
      readonly conditions: Readonly<Record<string, string>>;
    }
  /** The visitor wants nothing that has to be asked for (RFC 9111 section 5.2.1.7). */
  | { readonly kind: 'refuse' };

export interface CacheUpdate<Body> {
  /** What the visitor gets; undefined where it is what came. */
  readonly entry?: Entry<Body>;
  /** Why it was not kept. */
  readonly notKept?: NotKept;
  /** Whether it stands for what failed (RFC 5861 section 4). */
  readonly insteadOfError?: true;
}

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

export class SharedCache<Body> {
  readonly #largest: number;
  /** Variants by URL. */
  readonly #entries: LRUCache<string, readonly Entry<Body>[]>;
  #changes = 0;

  /** @param most bytes of all that is kept, with addresses and headers @param largest bytes of one body */
  constructor(most: number, largest: number) {
    this.#largest = largest;
    this.#entries = new LRUCache({
      maxSize: Math.min(most, Number.MAX_SAFE_INTEGER),
      sizeCalculation: (variants, url) => variants.reduce((sum, entry) => sum + costOf(url, entry), 0),
    });
  }

  get bytes(): number {
    return this.#entries.calculatedSize;
  }

  /** Grows with every change of what is kept. */
  get changes(): number {
    return this.#changes;
  }

  /** Whether a body of so many bytes is kept at all. */
  takes(bytes: number): boolean {
    return bytes <= this.#largest;
  }

  look({ method, url, headers }: FrontRequest, now: number): Look<Body> {
    const directives = directivesOf(headers);
    if (method !== 'GET' && method !== 'HEAD') return { kind: 'ask', forward: 'method', conditions: {} };
    const variants = this.#entries.get(url);
    const entry = variants?.find((each) => matches(each, headers));
    if (hasDirective(directives, 'only-if-cached')) {
      const found = entry && this.#useOf(entry, now);
      return found?.kind === 'hit' ? found : { kind: 'refuse' };
    }
    if (hasDirective(directives, 'no-store')) return { kind: 'ask', forward: 'request', conditions: {} };
    if (!entry) return { kind: 'ask', forward: variants ? 'vary-miss' : 'uri-miss', conditions: {} };
    const use = this.#useOf(entry, now);
    const oldest = deltaSeconds(directives, 'max-age');
    const isRevalidationRequested =
      hasDirective(directives, 'no-cache') ||
      (headers['cache-control'] === undefined && headers['pragma'] === 'no-cache') ||
      (oldest !== undefined && entryAge(entry, now) >= oldest);
    if (use && !isRevalidationRequested) return use;
    // What is asked for a part, or with conditions of the visitor's own, is asked as it came.
    const isOwn = headers['range'] === undefined;
    return {
      kind: 'ask',
      forward: isRevalidationRequested ? 'request' : 'stale',
      entry,
      conditions: !isOwn || !canConfirm(entry) ? {} : conditionsFor(entry.headers),
    };
  }

  /** Takes what the bucket has answered. @param came when */
  take(
    request: FrontRequest,
    look: Look<Body>,
    answer: {
      readonly status: number;
      readonly headers: ObjectHeaders;
      readonly body: Body;
      readonly bytes: number;
    },
    now: number,
  ): CacheUpdate<Body> {
    const { method, url, headers } = request;
    const { status } = answer;
    if (!SAFE.has(method) && status >= 200 && status < 400) this.#invalidate(url, answer.headers);
    const entry = look.kind === 'ask' || look.kind === 'grace' ? look.entry : undefined;
    // Without conditions of our own a 304 confirms what the visitor has, which may be another one.
    const isConfirmed = status === 304 && look.kind === 'ask' && Object.keys(look.conditions).length > 0;
    if (isConfirmed && entry) {
      const confirmed = { ...confirm(entry, answer.headers, now), body: entry.body, bytes: entry.bytes };
      const fresh = makeEntry(confirmed, entry.varies);
      // What a 304 forbids to keep is let go of, and still what the visitor gets.
      this.#drop(url, entry);
      const notKept = decideKeeping({ method: 'GET', headers }, fresh);
      if (notKept === undefined) this.#put(url, fresh);
      return { entry: fresh, ...(notKept === undefined ? {} : { notKept }) };
    }
    if (status >= 500 && entry && this.#mayAnswerForError(entry, now)) return { entry, insteadOfError: true };
    // What has another answer by now is not kept on as it was; a part is of the same one.
    if (entry && method === 'GET' && status < 500 && status !== 206 && status !== 416) this.#drop(url, entry);
    const kept: KeptAnswer = { status, headers: answer.headers, at: now };
    const notKept =
      decideKeeping(request, kept) ??
      (headers['range'] !== undefined && status === 206 ? ('status' as const) : undefined) ??
      (this.takes(answer.bytes) ? undefined : ('too large' as const));
    if (notKept !== undefined) return { notKept };
    const varies = Object.fromEntries(
      varyNames(answer.headers).map((name) => [name, ownValue(headers, name)]),
    );
    this.#put(url, makeEntry({ ...kept, body: answer.body, bytes: answer.bytes }, varies));
    return {};
  }

  /** What stands in where nothing could be asked at all. */
  staleIfError(look: Look<Body>, now: number): Entry<Body> | undefined {
    const entry = look.kind === 'ask' ? look.entry : undefined;
    return entry && this.#mayAnswerForError(entry, now) ? entry : undefined;
  }

  #mayAnswerForError(entry: Entry<Body>, now: number): boolean {
    const { lifetime, ifError } = entry.freshness;
    return entryAge(entry, now) < lifetime + ifError;
  }

  #useOf(entry: Entry<Body>, now: number): Extract<Look<Body>, { kind: 'hit' | 'grace' }> | undefined {
    const { lifetime, staleWhileRevalidate: grace } = entry.freshness;
    const age = entryAge(entry, now);
    if (age < lifetime) return { kind: 'hit', entry, age, left: lifetime - age };
    return age < lifetime + grace ? { kind: 'grace', entry, age, left: lifetime - age } : undefined;
  }

  #put(url: string, entry: Entry<Body>): void {
    this.#changes++;
    const others = (this.#entries.peek(url) ?? []).filter((each) => !isSameVariant(each, entry));
    this.#entries.set(url, [...others.slice(-MAX_VARIANTS + 1), entry]);
  }

  #drop(url: string, entry: Entry<Body>): void {
    const variants = this.#entries.peek(url);
    if (!variants?.includes(entry)) return;
    this.#changes++;
    const left = variants.filter((each) => each !== entry);
    if (left.length === 0) this.#entries.delete(url);
    else this.#entries.set(url, left);
  }

  /** RFC 9111 section 4.4: what was changed, and what the answer says was, of the same host. */
  #invalidate(url: string, headers: ObjectHeaders): void {
    this.#changes++;
    this.#entries.delete(url);
    for (const name of ['Location', 'Content-Location']) {
      const value = fieldOf(headers, name);
      if (value === undefined || !URL.canParse(value, url)) continue;
      const other = new URL(value, url);
      if (other.origin === new URL(url).origin) this.#entries.delete(other.href);
    }
  }
}

/** Of one URL: whoever asks for more gets the first of them asked for anew. */
const MAX_VARIANTS = 16;

/** What an entry takes beside its body, whatever it holds: objects, and places in maps. Bytes. */
const OVERHEAD = 1024;

/** Bytes of an entry: its body, its address and its headers, of which each letter may take two. */
function costOf(url: string, { bytes, headers, varies }: Entry<unknown>): number {
  let letters = url.length;
  for (const name in headers) letters += name.length + (headers[name]?.length ?? 0);
  for (const name in varies) letters += name.length + (varies[name]?.length ?? 0);
  return bytes + OVERHEAD + 2 * letters;
}

const varyNames = (headers: ObjectHeaders): string[] =>
  (fieldOf(headers, 'Vary') ?? '')
    .split(',')
    .map((name) => name.trim().toLowerCase())
    .filter((name) => name !== '');

/** Without anything that it varies by, as most are, whoever asks gets it. */
const matches = (
  { varies }: Pick<Entry<unknown>, 'varies'>,
  headers: Readonly<Record<string, string>>,
): boolean => Object.entries(varies).every(([name, value]) => ownValue(headers, name) === value);

const isSameVariant = (a: Entry<unknown>, b: Entry<unknown>): boolean =>
  JSON.stringify(a.varies) === JSON.stringify(b.varies);
