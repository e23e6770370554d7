/** The addresses that a text of a site names, of the site's own. */
import { readObject } from '../reading/read-object.js';
import { readingKind } from '../reading/reading-kind.js';
import type { ObjectHeaders } from '../site/site-object.js';

/** Below the site's address: `/visit/`, with its query where it has one. */
export type Target = string;

/** Longer ones are made up by programs. Characters. */
const MAX_TARGET = 1024;
/** So many folders deep. */
const MAX_DEPTH = 16;
/** How often a folder's name may come in one address: more often is a circle. */
const MAX_AGAIN = 2;

export interface TextAt {
  /** Below the site's address. */
  readonly path: string;
  readonly text: string;
  readonly headers: ObjectHeaders;
}

/** @param base the site's address, with its closing slash */
export function listPaths(base: URL, { path, text, headers }: TextAt): Target[] {
  const key = path.endsWith('/') ? `${path.slice(1)}index.html` : path.slice(1);
  const kind = readingKind({ key, headers, size: text.length, digest: '' });
  if (kind === undefined) return [];
  const { references, base: written } = readObject(kind, text);
  const at = base.href.slice(0, -1) + path;
  const start = written !== undefined && URL.canParse(written, at) ? new URL(written, at).href : at;
  const found = new Set<Target>();
  for (const { raw, use, method } of references) {
    if (use === 'form' || method !== undefined || raw === '') continue;
    const target = targetIn(base, raw, start);
    if (target !== undefined) found.add(target);
  }
  return [...found];
}

/** Where an address leads, below the site's own; undefined where it leads elsewhere or where nobody should follow. */
export function targetIn(base: URL, raw: string, from: string): Target | undefined {
  if (!URL.canParse(raw, from)) return undefined;
  const { origin, pathname, search } = new URL(raw, from);
  if (origin !== base.origin || !pathname.startsWith(base.pathname)) return undefined;
  const path = pathname.slice(base.pathname.length - 1);
  return isTrap(path) ? undefined : path + search;
}

function isTrap(path: string): boolean {
  if (path.length > MAX_TARGET) return true;
  const segments = path.split('/').slice(1, -1);
  if (segments.length > MAX_DEPTH) return true;
  const counts = new Map<string, number>();
  for (const segment of segments) counts.set(segment, (counts.get(segment) ?? 0) + 1);
  return [...counts.values()].some((count) => count > MAX_AGAIN);
}

/** Equal for addresses that differ in numbers alone, such as those of a calendar. */
export const shapeOf = (path: string): string => path.replace(/\d+/g, '#');
