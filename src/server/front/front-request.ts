/** What the front looks at in a request. */
import { parseHttpDate } from '../../core/caching/http-date.js';
import { QUALIFIERS } from '../../core/caching/request-fields.js';
import type { Validators } from '../../core/hosting/preconditions.js';

/** What a visitor asks of a copy that it has itself. */
export const VISITORS_OWN: ReadonlySet<string> = new Set([...QUALIFIERS, 'if-range']);

export const validatorsOf = (headers: Readonly<Record<string, string>>, at: number): Validators => ({
  etag: headers['etag'] ?? '',
  // A date that is not there compares with none.
  lastModified: parseHttpDate(headers['last-modified'] ?? '') ?? NaN,
  at,
});

export const without = (
  headers: Readonly<Record<string, string>>,
  names: ReadonlySet<string>,
): Readonly<Record<string, string>> =>
  Object.fromEntries(Object.entries(headers).filter(([name]) => !names.has(name)));

/** The host of an address that begins with a scheme. */
export const hostOf = (url: string): string => {
  const from = url.indexOf('//') + 2;
  const end = url.indexOf('/', from);
  const authority = end < 0 ? url.slice(from) : url.slice(from, end);
  const colon = authority.lastIndexOf(':');
  return colon > 0 ? authority.slice(0, colon) : authority;
};

/** Path and query as they came: what a URL makes of them may be another key. */
export const rawTarget = (url: string): string | undefined => {
  const at = url.indexOf('/', url.indexOf('//') + 2);
  return at < 0 ? undefined : url.slice(at);
};
