/** Conditional requests, in the order of RFC 9110 section 13.2.2. */
import { parseHttpDate } from '../caching/http-date.js';

export interface Validators {
  /** With its quotes. */
  readonly etag: string;
  /** Milliseconds, whole seconds. */
  readonly lastModified: number;
  /** When the request came; undefined where no clock is at hand. */
  readonly at?: number | undefined;
}

export type RequestHeaders = Readonly<Record<string, string | string[] | undefined>>;

export interface Verdict {
  readonly outcome: 'go-on' | 'not-modified' | 'failed';
  /** The header field that decided; undefined when none was there. */
  readonly field?: 'If-Match' | 'If-Unmodified-Since' | 'If-None-Match' | 'If-Modified-Since';
}

const GO_ON: Verdict = { outcome: 'go-on' };

/** Decides the preconditions of a GET or HEAD on an existing representation. */
export function decidePreconditions(headers: RequestHeaders, { etag, lastModified }: Validators): Verdict {
  const ifMatch = text(headers['if-match']);
  if (ifMatch !== undefined) {
    if (!matchesAny(ifMatch, etag, strongly)) return { outcome: 'failed', field: 'If-Match' };
  } else {
    const unmodified = date(headers['if-unmodified-since']);
    if (unmodified !== undefined && lastModified > unmodified)
      return { outcome: 'failed', field: 'If-Unmodified-Since' };
  }
  const ifNoneMatch = text(headers['if-none-match']);
  if (ifNoneMatch !== undefined) {
    return matchesAny(ifNoneMatch, etag, weakly)
      ? { outcome: 'not-modified', field: 'If-None-Match' }
      : GO_ON;
  }
  const modified = date(headers['if-modified-since']);
  if (modified !== undefined && lastModified <= modified)
    return { outcome: 'not-modified', field: 'If-Modified-Since' };
  return GO_ON;
}

/** The same on hosts that look at each condition by itself and compare tags as they are written, quotes apart. */
export function decideEachAlone(headers: RequestHeaders, { etag, lastModified }: Validators): Verdict {
  const ifNoneMatch = text(headers['if-none-match']);
  if (ifNoneMatch !== undefined && namesTag(ifNoneMatch, etag))
    return { outcome: 'not-modified', field: 'If-None-Match' };
  const ifMatch = text(headers['if-match']);
  if (ifMatch !== undefined && !namesTag(ifMatch, etag)) return { outcome: 'failed', field: 'If-Match' };
  const modified = dateOfAnyZone(headers['if-modified-since']);
  if (modified !== undefined && lastModified <= modified)
    return { outcome: 'not-modified', field: 'If-Modified-Since' };
  const unmodified = dateOfAnyZone(headers['if-unmodified-since']);
  if (unmodified !== undefined && lastModified > unmodified)
    return { outcome: 'failed', field: 'If-Unmodified-Since' };
  return GO_ON;
}

const namesTag = (list: string, etag: string): boolean =>
  list.split(',').some((each) => {
    const tag = each.trim();
    return tag === '*' || bare(tag) === bare(etag);
  });

/** A tag without its quotes. */
const bare = (tag: string): string =>
  tag.length > 1 && tag.startsWith('"') && tag.endsWith('"') ? tag.slice(1, -1) : tag;

/** Whether a Range may be honoured: If-Range is absent or names this very representation (section 13.1.5). */
export function ifRangeHolds(headers: RequestHeaders, { etag, lastModified, at }: Validators): boolean {
  const value = text(headers['if-range']);
  if (value === undefined) return true;
  if (value.startsWith('"') || value.startsWith('W/')) return strongly(value, etag);
  // A date so young may stand for two states of one second: it is weak (section 8.8.2.2), and parts need a strong one.
  if (at !== undefined && at - lastModified < WEAK_FOR) return false;
  return parseHttpDate(value) === lastModified;
}

const WEAK_FOR = 2000;

const text = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value.join(', ').trim() : value?.trim();
const date = (value: string | string[] | undefined): number | undefined => {
  const written = text(value);
  return written === undefined ? undefined : parseHttpDate(written);
};

/** Dates as letters carry them (RFC 5322 section 3.3), with the zones that it names. */
const dateOfAnyZone = (value: string | string[] | undefined): number | undefined => {
  const written = text(value);
  return written !== undefined && OTHER_ZONE.test(written) ? Date.parse(written) : date(value);
};
const OTHER_ZONE =
  /^(?:[A-Z][a-z]{2}, )?\d{1,2} [A-Z][a-z]{2} \d{4} \d{2}:\d{2}:\d{2} (?:[+-]\d{4}|UT|[ECMP][SD]T)$/;

const strongly = (a: string, b: string): boolean => a === b && !a.startsWith('W/');
const weakly = (a: string, b: string): boolean => a.replace(/^W\//, '') === b.replace(/^W\//, '');

const ENTITY_TAG = /(?:W\/)?"[\x21\x23-\x7e\x80-\xff]*"/g;

function matchesAny(list: string, etag: string, same: (a: string, b: string) => boolean): boolean {
  if (list === '*') return true;
  return (list.match(ENTITY_TAG) ?? []).some((each) => same(each, etag));
}
