/** Speculation rules: pages that a page has a browser fetch ahead. */

export interface Speculated {
  /** Addresses as written. */
  readonly urls: readonly string[];
  /** Patterns of the links that are fetched ahead, as paths. */
  readonly matching: readonly string[];
  /** Rules that are not understood here, that wait for what a visitor does, or that are too many. */
  readonly unsure: number;
}

const MOST = 200_000;
/** Addresses of one set of rules that are looked at. */
const MAX_URLS = 1000;
/** Patterns of one page: each is tried on each link. */
export const MAX_PATTERNS = 20;

/** @param text of the script; what is no JSON says nothing */
export function readSpeculationRules(text: string): Speculated {
  const urls: string[] = [];
  const matching: string[] = [];
  let unsure = 0;
  let rules: unknown;
  try {
    rules = text.length > MOST ? undefined : JSON.parse(text);
  } catch {
    rules = undefined;
  }
  if (typeof rules !== 'object' || rules === null) return { urls, matching, unsure };
  // A browser that shows nobody anything only fetches what it would otherwise render ahead.
  for (const kind of ['prefetch', 'prerender'] as const) {
    const list = (rules as Record<string, unknown>)[kind];
    for (const rule of Array.isArray(list) ? (list as unknown[]).slice(0, MAX_URLS) : []) {
      const given = (rule ?? {}) as Record<string, unknown>;
      const isList = Array.isArray(given['urls']);
      // A list is fetched at once unless it says otherwise, links only where they say so.
      const eagerness = given['eagerness'] ?? (isList ? 'immediate' : 'conservative');
      if (eagerness !== 'immediate') continue;
      if (isList) {
        for (const url of (given['urls'] as unknown[]).slice(0, MAX_URLS))
          if (typeof url === 'string') urls.push(url);
        continue;
      }
      const where = (given['where'] ?? {}) as Record<string, unknown>;
      const pattern = where['href_matches'];
      const isKnown = typeof pattern === 'string' && /^\/[\w./*-]{0,200}$/.test(pattern);
      if (isKnown && matching.length < MAX_PATTERNS) matching.push(pattern);
      else unsure++;
    }
  }
  return { urls, matching, unsure };
}

/** Whether a path matches a pattern such as `/news/*`, in which a star stands for anything. */
export function matchesPath(pattern: string, path: string): boolean {
  const [first = '', ...rest] = pattern.split('*');
  if (rest.length === 0) return path === pattern;
  if (!path.startsWith(first)) return false;
  let at = first.length;
  for (const [n, part] of rest.entries()) {
    const isLast = n === rest.length - 1;
    if (isLast) return path.length - part.length >= at && path.endsWith(part);
    at = path.indexOf(part, at);
    if (at < 0) return false;
    at += part.length;
  }
  return true;
}
