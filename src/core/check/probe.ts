/** The shapes of probes: requests to send to an endpoint, with the answer that the resolver says each must get. */
import { parseHttpDate } from '../caching/http-date.js';
import type { Answer, WebRequest } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import type { StoredObject } from '../site/site-object.js';

export const KINDS = [
  'object',
  'private object',
  'private spelling',
  'folder',
  'folder without slash',
  'moved address',
  'moved host',
  'address of the app',
  'for another site',
  'wrong address',
  'HEAD',
  'unchanged by ETag',
  'unchanged by date',
  'a range',
  'another method',
] as const;

/** What a probe is about, for people. */
export type Kind = (typeof KINDS)[number];

export interface Probe {
  readonly request: WebRequest;
  readonly about: Kind;
  readonly expected: Answer;
  /** What `expected` was resolved in. */
  readonly view: BucketView;
  /** What nobody may read, and no answer may give away. */
  readonly hides?: StoredObject;
  /** The requests that follow an object's own, once it was answered. */
  readonly followUps?: (first: Observed) => Iterable<Probe>;
}

/** What an endpoint answered. `digest` is the SHA-256 of the body, hexadecimal. */
export interface Observed {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly digest: string;
  /** Bytes of the body. */
  readonly length: number;
  /** The digest of the bytes that `sliceOf` names, where it was asked for. */
  readonly sliceDigest?: string;
}

export interface Slice {
  readonly start: number;
  /** Included. */
  readonly end: number;
}

/** The part of an object that a probe asks for: from its middle, a thousand bytes at most. */
export function sliceOf(size: number): Slice | undefined {
  if (size < 2) return undefined;
  const start = Math.floor(size / 3);
  return { start, end: Math.min(size - 1, start + 999) };
}

/** Whether an endpoint's Last-Modified says no more than its Date. */
export function isDatedNow({ headers }: Observed): boolean {
  const [modified, date] = [headers['last-modified'], headers['date']].map((value) =>
    parseHttpDate(single(value) ?? ''),
  );
  return modified !== undefined && date !== undefined && Math.abs(date - modified) <= 1000;
}

export const single = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value.join(', ') : value;
