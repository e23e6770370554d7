/** Fields of requests and answers that several rooms have to know, each list once. Names in lower case. */
import type { ObjectHeaders } from '../site/site-object.js';
import { fieldOf } from './freshness.js';

/** What sets a condition on the object that is asked for (RFC 9110 section 13.1). If-Range does with Range alone. */
export const CONDITIONS = ['if-match', 'if-none-match', 'if-modified-since', 'if-unmodified-since'] as const;

/** What asks for something else than the whole object as it is: by a condition, or for a part of it. */
export const QUALIFIERS = [...CONDITIONS, 'range'] as const;

/** Conditions that are dates. */
export const DATE_CONDITIONS = ['if-modified-since', 'if-unmodified-since', 'if-range'] as const;

export const isConditional = (headers: Readonly<Record<string, unknown>>): boolean =>
  CONDITIONS.some((name) => headers[name] !== undefined);

/** What makes a question one whether a copy is still good (RFC 9110 section 13.1.2, 13.1.3). @param headers of the copy */
export function conditionsFor(headers: ObjectHeaders): Readonly<Record<string, string>> {
  const tag = fieldOf(headers, 'ETag');
  const modified = fieldOf(headers, 'Last-Modified');
  return {
    ...(tag === undefined ? {} : { 'if-none-match': tag }),
    ...(modified === undefined ? {} : { 'if-modified-since': modified }),
  };
}

/** What speaks of one connection, and is passed on by nobody (RFC 9110 section 7.6.1). */
export const OF_CONNECTION: ReadonlySet<string> = new Set([
  ...['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding', 'upgrade', 'te', 'trailer'],
  ...['http2-settings', 'expect'],
]);

/** Whether a field of an answer is of the connection, or of the moment, and says nothing of the object. */
export const isOfMoment = (name: string): boolean => name === 'date' || OF_CONNECTION.has(name);
