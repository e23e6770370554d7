/** A first visit and those that come after it, by a browser that keeps what it may. */
import { freshnessOf } from '../caching/freshness.js';
import type { ObjectHeaders } from '../site/site-object.js';
import type { Connection } from './connection.js';
import type { SiteAnswer } from './page-load.js';
import { PrivateCache, type VisitKind } from './private-cache.js';
import {
  addTotals,
  NOTHING,
  visitPage,
  type KnownLoad,
  type VisitedResponse,
  type VisitTotals,
} from './visit.js';

export type VisitName = 'first' | 'return' | 'reload' | 'forced';

export interface Visit {
  readonly kind: VisitName;
  /** Seconds after the first visit. */
  readonly after: number;
  readonly totals: VisitTotals;
  readonly responses: readonly VisitedResponse[];
  /** Of each page of the walk, in its order, where single responses are told. */
  readonly pages: readonly { readonly page: string; readonly totals: VisitTotals }[];
}

export interface VisitPlan {
  /** When the first visit is: milliseconds since the epoch. */
  readonly at: number;
  /** Seconds after the first visit at which somebody returns. */
  readonly after: readonly number[];
  /** Whether each return follows on the one before, and not on the first visit alone. */
  readonly inSequence: boolean;
  /** Reloads and forced reloads of each page, right after it was visited again. */
  readonly reload: boolean;
  readonly forced: boolean;
  /** Undefined where no times are wanted. */
  readonly line: Connection | undefined;
  /** Whether single responses are kept, and not the totals alone. */
  readonly inFull: boolean;
}

/** Visits that are under way side by side: each page is loaded in all of them before the next one is looked at. */
export class Visits {
  readonly #plan: VisitPlan;
  readonly #change: (answer: SiteAnswer) => SiteAnswer;
  readonly #loads: KnownLoad[] = [];

  /** @param change what would be sent instead of an answer */
  constructor(plan: VisitPlan, change: (answer: SiteAnswer) => SiteAnswer = (answer) => answer) {
    this.#plan = plan;
    this.#change = change;
  }

  add(load: KnownLoad): void {
    this.#loads.push(load);
  }

  run(): Visit[] {
    const { at, after, inSequence, reload, forced, line, inFull } = this.#plan;
    const changed = new Map<SiteAnswer, SiteAnswer>();
    const change = (answer: SiteAnswer | undefined): SiteAnswer | undefined => {
      if (!answer) return undefined;
      let known = changed.get(answer);
      if (!known) changed.set(answer, (known = this.#change(answer)));
      return known;
    };
    const loads = this.#loads.map(({ load, answers }) => ({
      load,
      answers: { get: (url: string) => change(answers.get(url)) },
    }));
    const visits: Visit[] = [];
    const walk = (
      kinds: readonly (readonly [VisitName, VisitKind])[],
      cache: PrivateCache,
      seconds: number,
    ): void => {
      const made = kinds.map(([kind]) => ({
        kind,
        totals: NOTHING,
        responses: [] as VisitedResponse[],
        pages: [] as { page: string; totals: VisitTotals }[],
      }));
      for (const load of loads)
        for (const [n, [, kind]] of kinds.entries()) {
          const { totals, responses } = visitPage(load, cache, {
            kind,
            now: at + seconds * 1000,
            line,
            inFull,
          });
          const visit = made[n];
          if (!visit) continue;
          visit.totals = addTotals(visit.totals, totals);
          if (!inFull) continue;
          visit.responses.push(...responses);
          visit.pages.push({ page: load.load.url, totals });
        }
      visits.push(...made.map((visit) => ({ ...visit, after: seconds })));
    };
    let kept = new PrivateCache();
    walk([['first', 'visit']], kept, 0);
    for (const seconds of after) {
      // A browser that was closed meanwhile; what it has learned counts for the next one only where they follow.
      const cache = new PrivateCache(kept);
      const kinds: [VisitName, VisitKind][] = [['return', 'visit']];
      if (reload) kinds.push(['reload', 'reload']);
      if (forced) kinds.push(['forced', 'forced']);
      walk(kinds, cache, seconds);
      if (inSequence) kept = cache;
    }
    return visits;
  }
}

/** Returns at which something happens: at once, and whenever much of what is kept has expired; in seconds. */
export function momentsOf(loads: readonly KnownLoad[], at: number, most: number): number[] {
  const expiring = new Map<number, number>();
  const seen = new Set<string>();
  for (const { load, answers } of loads)
    for (const { url } of load.wanted) {
      const answer = answers.get(url);
      if (!answer || seen.has(url)) continue;
      seen.add(url);
      const { lifetime } = freshnessOf({ status: answer.status, headers: answer.headers, at });
      if (lifetime < SHORTEST || lifetime === Infinity) continue;
      const moment = Math.ceil(lifetime);
      expiring.set(moment, (expiring.get(moment) ?? 0) + answer.size);
    }
  const chosen = [...expiring].sort(([, a], [, b]) => b - a).slice(0, most - 1);
  if (chosen.length === 0) return [0, DAY, 30 * DAY];
  return [0, ...chosen.map(([moment]) => moment).sort((a, b) => a - b)];
}

const DAY = 86_400;
/** Nobody returns within seconds to see whether a guess is over. */
const SHORTEST = 60;

/** The same answer from a server that says nothing of caches. */
export const withoutCacheHeaders = (answer: SiteAnswer): SiteAnswer => withHeader(answer, undefined);

/** @param value of Cache-Control; undefined for none */
export const withHeader = (answer: SiteAnswer, value: string | undefined): SiteAnswer =>
  withCaching(answer, value === undefined ? {} : { 'Cache-Control': value });

/** @param caching the headers that speak of it, in place of those that do now */
export function withCaching(answer: SiteAnswer, caching: ObjectHeaders): SiteAnswer {
  const headers: Record<string, string> = {};
  let [before, after] = [0, 0];
  for (const [name, text] of Object.entries(answer.headers)) {
    if (CACHE_HEADERS.has(name.toLowerCase())) before += lineBytes(name, text);
    else headers[name] = text;
  }
  for (const [name, value] of Object.entries(caching)) {
    headers[name] = value;
    after += lineBytes(name, value);
  }
  return {
    ...answer,
    headers,
    head: answer.head - before + after,
    confirmedHead: answer.confirmedHead - before + after,
  };
}

const CACHE_HEADERS = new Set(['cache-control', 'expires', 'pragma']);
const lineBytes = (name: string, value: string): number => name.length + value.length + 4;
