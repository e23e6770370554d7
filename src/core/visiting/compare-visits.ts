/** What a real browser asked for, beside what the model says that it asks for. */
import { pathOf } from '../words/path-of.js';
import type { Visit, VisitName } from './run-visits.js';

/** One request of a browser, as a server saw it. */
export interface BrowserRequest {
  /** The path with its query. */
  readonly target: string;
  readonly status: number;
  readonly bytes: number;
  /** Whether the browser says that a script asked for it. */
  readonly byScript?: boolean;
}

/** The loads of one visit, page by page. */
export interface BrowserVisit {
  readonly kind: VisitName;
  readonly after: number;
  readonly pages: readonly { readonly page: string; readonly requests: readonly BrowserRequest[] }[];
}

export interface VisitDifference {
  readonly kind: VisitName;
  readonly after: number;
  readonly page: string;
  readonly target: string;
  /** The status on the wire; undefined where nothing was asked. */
  readonly model: number | undefined;
  readonly browser: number | undefined;
  /** Whether the browser says that a script asked for it. */
  readonly byScript: boolean;
}

/** Seconds from which on an icon says nothing: the browser's own clock cannot be put forward. */
const ICON_KEPT = 7 * 86_400;

export function compareVisits(visits: readonly Visit[], browsed: readonly BrowserVisit[]): VisitDifference[] {
  const differences: VisitDifference[] = [];
  for (const { kind, after, pages } of browsed) {
    const visit = visits.find((each) => each.kind === kind && each.after === after);
    if (!visit) continue;
    for (const { page, requests } of pages) {
      const own = visit.responses.filter((each) => each.page === page);
      const icons = new Set(own.filter(({ use }) => use === 'icon').map(({ url }) => pathOf(url)));
      const pictures = new Set(own.filter(({ use }) => use === 'image').map(({ url }) => pathOf(url)));
      const goesOn = own.filter(({ use }) => use === 'page').length > 1;
      const races = new Set(own.filter(({ use }) => use === 'manifest').map(({ url }) => pathOf(url)));
      // What a script asks for once the page has loaded comes by the rules of a plain visit: a race.
      const late = new Set(
        kind === 'forced' ? own.filter(({ seen }) => seen).map(({ url }) => pathOf(url)) : [],
      );
      const isLeftOut = (target: string): boolean =>
        late.has(target) || (after >= ICON_KEPT && (icons.has(target) || target === '/favicon.ico'));
      const wanted = new Map<string, number[]>();
      for (const { url, status, from } of own)
        if (from !== 'cache' && status !== undefined) push(wanted, pathOf(url), status);
      const seen = new Map<string, number[]>();
      const byScript = new Set<string>();
      for (const { target, status, byScript: isScripts = false } of requests) {
        push(seen, target, status);
        if (isScripts) byScript.add(target);
      }
      for (const target of new Set([...wanted.keys(), ...seen.keys()])) {
        if (isLeftOut(target)) continue;
        const [model, browser] = [[...(wanted.get(target) ?? [])], [...(seen.get(target) ?? [])]];
        // A picture that is missing is asked for once or more where it is named more than once: a race too.
        const isMissing = model.every((status) => status >= 400) && browser.every((status) => status >= 400);
        if (isMissing && model.length > 0 && browser.length > 0 && pictures.has(target)) continue;
        // A page that is left at once may have time to look for an icon where none is named: one more race.
        if (isMissing && model.length === 0 && goesOn && target === '/favicon.ico') continue;
        // On a forced reload a manifest may come from a check that was under way: 200 or 304.
        if (kind === 'forced' && races.has(target) && model.length === browser.length) continue;
        for (const status of [...model]) {
          const at = browser.indexOf(status);
          if (at < 0) continue;
          browser.splice(at, 1);
          model.splice(model.indexOf(status), 1);
        }
        for (let n = 0; n < Math.max(model.length, browser.length); n++)
          differences.push({
            kind,
            after,
            page,
            target,
            model: model[n],
            browser: browser[n],
            byScript: model[n] === undefined && byScript.has(target),
          });
      }
    }
  }
  return withoutLate(differences, browsed);
}

/** What a busy browser asks for late is noted with the page that it loads next: it is no difference. */
function withoutLate(
  differences: readonly VisitDifference[],
  browsed: readonly BrowserVisit[],
): VisitDifference[] {
  const places = placeLoads(browsed);
  const markOf = (place: number, target: string, status: number): string => `${place} ${status} ${target}`;
  const late = new Map<string, VisitDifference[]>();
  for (const each of differences) {
    const at = places.get(loadId(each));
    if (at === undefined || each.model !== undefined || each.browser === undefined) continue;
    const mark = markOf(at, each.target, each.browser);
    late.set(mark, [...(late.get(mark) ?? []), each]);
  }
  const left = new Set(differences);
  for (const early of differences) {
    const at = places.get(loadId(early));
    if (at === undefined || early.model === undefined || early.browser !== undefined) continue;
    const found = late.get(markOf(at + 1, early.target, early.model))?.shift();
    if (!found) continue;
    left.delete(early);
    left.delete(found);
  }
  return [...left];
}

const loadId = ({ kind, after, page }: Pick<VisitDifference, 'kind' | 'after' | 'page'>): string =>
  `${kind} ${after} ${page}`;

/** All loads in their order: each page is loaded in every way before the next one is. */
function placeLoads(browsed: readonly BrowserVisit[]): Map<string, number> {
  const places = new Map<string, number>();
  let at = 0;
  const walks = new Map<string, BrowserVisit[]>();
  for (const visit of browsed) {
    const walk = visit.kind === 'first' ? 'first' : String(visit.after);
    walks.set(walk, [...(walks.get(walk) ?? []), visit]);
  }
  for (const visits of walks.values()) {
    for (const [n, { page }] of (visits[0]?.pages ?? []).entries())
      for (const { kind, after, pages } of visits)
        if (pages[n]?.page === page) places.set(loadId({ kind, after, page }), at++);
    // The next walk is by a browser that was closed meanwhile.
    at++;
  }
  return places;
}

function push(map: Map<string, number[]>, key: string, value: number): void {
  const known = map.get(key);
  if (known) known.push(value);
  else map.set(key, [value]);
}
