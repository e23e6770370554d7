/** What a published site has answered. */
import type { ObjectHeaders } from '../site/site-object.js';
import { hasDirective, parseCacheControl } from '../caching/cache-control.js';
import { parseHttpDate } from '../caching/http-date.js';
import { writeCache, type WrittenCache } from '../caching/write-cache.js';

/** One answer to a plain GET without a content coding asked for. */
export interface SeenAnswer {
  /** As it was asked for: percent-encoded, without a query. */
  readonly path: string;
  readonly status: number;
  /** Names in lower case; of repeated ones the values joined by commas. */
  readonly headers: Readonly<Record<string, string>>;
  /** Of the bytes without their content coding; SHA-256 in hexadecimal. */
  readonly digest: string;
  /** Bytes, as sent. */
  readonly size: number;
  /** Whether all of it is UTF-8. */
  readonly isUtf8: boolean;
  /** Whether all of its bytes were read, with their content coding undone. */
  readonly isWhole: boolean;
}

/** An answer's caching as a config says it. An end that is counted from the answer's own date is a length. */
export function cachingOf(headers: SeenAnswer['headers']): WrittenCache | undefined {
  const { 'cache-control': control, expires, pragma, date } = headers;
  if (control !== undefined) {
    const directives = parseCacheControl(control);
    // RFC 9111 section 5.3: where both are there, Expires says nothing.
    const isCompanion =
      pragma?.trim() === 'no-cache' && expires !== undefined && parseHttpDate(expires) === 0;
    const decides = hasDirective(directives, 'max-age') || hasDirective(directives, 'no-store');
    const until = expires === undefined ? undefined : secondsBetween(date, expires);
    const also =
      decides || until === undefined || hasDirective(directives, 'no-cache') ? '' : `, ${ageFor(until)}`;
    const sent: ObjectHeaders = { 'Cache-Control': control.trim() + also };
    return (
      (isCompanion ? writeCache({ ...sent, Expires: expires, Pragma: 'no-cache' }) : undefined) ??
      writeCache(sent)
    );
  }
  if (expires === undefined)
    return writeCache(pragma?.trim() === 'no-cache' ? { 'Cache-Control': 'no-cache' } : {});
  return writeCache({ 'Cache-Control': ageFor(secondsBetween(date, expires) ?? 0) });
}

const ageFor = (seconds: number): string => `max-age=${Math.max(0, Math.min(seconds, YEAR))}`;
const YEAR = 31_536_000;

/** Undefined where one of them is no date. */
function secondsBetween(date: string | undefined, expires: string): number | undefined {
  const [from, to] = [date, expires].map((text) => (text === undefined ? undefined : parseHttpDate(text)));
  return from === undefined || to === undefined ? undefined : Math.round((to - from) / 1000);
}

export const isRedirect = ({ status }: Pick<SeenAnswer, 'status'>): boolean =>
  [301, 302, 303, 307, 308].includes(status);
