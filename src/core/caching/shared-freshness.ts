/**
 * The same for a cache that serves everybody (RFC 9111): what it may keep, for how long it is fresh, and when a stale
 * copy may still be used. Where the RFC leaves a choice the more careful way is taken; docs/front.md says which.
 */
import type { ObjectHeaders } from '../site/site-object.js';
import { deltaSeconds, hasDirective } from './cache-control.js';
import { dateOf, directivesOf, fieldOf, type KeptAnswer } from './freshness.js';
import { parseHttpDate } from './http-date.js';

export type SharedDecider = 's-maxage' | 'max-age' | 'expires' | 'heuristic' | 'no-cache' | 'vary' | 'none';

export interface SharedFreshness {
  /** Seconds. */
  readonly lifetime: number;
  readonly by: SharedDecider;
  /** Seconds after it for which a stale copy is used while it is asked for (RFC 5861 section 3). */
  readonly staleWhileRevalidate: number;
  /** Seconds after it for which a stale copy is used where asking fails (RFC 5861 section 4). */
  readonly ifError: number;
}

/** Statuses that are kept where their headers set a lifetime; those of a mistake of the server are not. */
const KEPT = new Set([200, 203, 300, 301, 302, 307, 308, 404, 410]);
/** Statuses that may be kept without a word from the server, for a tenth of their age (RFC 9111 section 4.2.2). */
const HEURISTIC = new Set([200, 203, 300, 301, 308, 410]);

/** Why an answer is not kept; undefined where it is. */
export type NotKept =
  | 'method'
  | 'request no-store'
  | 'authorization'
  | 'no-store'
  | 'private'
  | 'set-cookie'
  | 'vary'
  | 'status'
  | 'nothing to go by'
  | 'too large';

/** @param request names of its headers in lower case */
export function decideKeeping(
  request: { readonly method: string; readonly headers: Readonly<Record<string, string>> },
  answer: KeptAnswer,
): NotKept | undefined {
  const { status, headers } = answer;
  const directives = directivesOf(headers);
  if (request.method !== 'GET') return 'method';
  if (hasDirective(directivesOf(request.headers), 'no-store')) return 'request no-store';
  if (hasDirective(directives, 'no-store')) return 'no-store';
  // The form that names fields too: what is left without them is nobody's page.
  if (hasDirective(directives, 'private')) return 'private';
  const isAllowed = ['public', 's-maxage', 'must-revalidate'].some((name) => hasDirective(directives, name));
  if (request.headers['authorization'] !== undefined && !isAllowed) return 'authorization';
  // A cookie is one visitor's, whatever else the headers say.
  if (fieldOf(headers, 'Set-Cookie') !== undefined) return 'set-cookie';
  if (isVaryingByAll(headers)) return 'vary';
  if (!KEPT.has(status)) return 'status';
  const { by } = sharedFreshnessOf(answer);
  if (by === 'none' && !canConfirm(answer)) return 'nothing to go by';
  // What may be kept by its headers alone is; of other answers only those that are cacheable by themselves.
  return by === 'none' && !HEURISTIC.has(status) ? 'status' : undefined;
}

const isVaryingByAll = (headers: ObjectHeaders): boolean =>
  /(?:^|,)\s*\*\s*(?:,|$)/.test(fieldOf(headers, 'Vary') ?? '');

export const canConfirm = ({ headers }: Pick<KeptAnswer, 'headers'>): boolean =>
  fieldOf(headers, 'ETag') !== undefined || fieldOf(headers, 'Last-Modified') !== undefined;

export function sharedFreshnessOf(answer: KeptAnswer): SharedFreshness {
  const { status, headers } = answer;
  const directives = directivesOf(headers);
  // With s-maxage a stale copy must not be used either (RFC 9111 section 5.2.2.10).
  const strict = ['must-revalidate', 'proxy-revalidate', 's-maxage', 'no-cache'].some((name) =>
    hasDirective(directives, name),
  );
  const grace = strict ? 0 : (deltaSeconds(directives, 'stale-while-revalidate') ?? 0);
  const ifError = strict ? 0 : (deltaSeconds(directives, 'stale-if-error') ?? 0);
  const be = (lifetime: number, by: SharedDecider): SharedFreshness => ({
    lifetime,
    by,
    staleWhileRevalidate: grace,
    ifError,
  });
  if (hasDirective(directives, 'no-cache')) return be(0, 'no-cache');
  if (directives.length === 0 && /(?:^|,)\s*no-cache\s*(?:,|$)/i.test(fieldOf(headers, 'Pragma') ?? ''))
    return be(0, 'no-cache');
  if (isVaryingByAll(headers)) return be(0, 'vary');
  for (const name of ['s-maxage', 'max-age'] as const) {
    if (!hasDirective(directives, name)) continue;
    // One that cannot be read is taken for the least (section 4.2.1).
    return be(deltaSeconds(directives, name) ?? 0, name);
  }
  const expires = fieldOf(headers, 'Expires');
  if (expires !== undefined) {
    const until = parseHttpDate(expires.trim());
    return be(until === undefined ? 0 : Math.max(0, (until - dateOf(answer)) / 1000), 'expires');
  }
  const modified = parseHttpDate(fieldOf(headers, 'Last-Modified') ?? '');
  if (!strict && HEURISTIC.has(status) && modified !== undefined && modified <= dateOf(answer))
    return be((dateOf(answer) - modified) / 10_000, 'heuristic');
  return be(0, 'none');
}
