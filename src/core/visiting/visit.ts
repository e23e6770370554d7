/** Visits: pages loaded one after the other by one browser, and what each asks for. */
import type { Connection } from './connection.js';
import type { LoadUse, PageLoad, SiteAnswer, Wanted } from './page-load.js';
import type { Outcome, PrivateCache, VisitKind, Why } from './private-cache.js';
import { timeTransfers, type Timing, type Transfer } from './wire-time.js';

/** One line of a visit: a request, or a use of what was kept. */
export interface VisitedResponse extends Outcome {
  readonly url: string;
  /** The page that was loaded. */
  readonly page: string;
  readonly use: LoadUse;
  readonly key: string | undefined;
  /** Known only since a browser was seen to ask for it. */
  readonly seen: boolean;
  readonly why: Why;
  readonly time: Timing;
}

export interface VisitTotals {
  readonly requests: number;
  readonly revalidated: number;
  readonly fromCache: number;
  readonly bytes: number;
  /** Computed for a stated line. */
  readonly seconds: number;
}

export const NOTHING: VisitTotals = { requests: 0, revalidated: 0, fromCache: 0, bytes: 0, seconds: 0 };

export const addTotals = (a: VisitTotals, b: VisitTotals): VisitTotals => ({
  requests: a.requests + b.requests,
  revalidated: a.revalidated + b.revalidated,
  fromCache: a.fromCache + b.fromCache,
  bytes: a.bytes + b.bytes,
  seconds: a.seconds + b.seconds,
});

export interface LoadedPage {
  readonly totals: VisitTotals;
  readonly responses: readonly VisitedResponse[];
}

/** A page's load with what each address gives; all loads of a site share what is known. */
export interface KnownLoad {
  readonly load: PageLoad;
  readonly answers: Pick<ReadonlyMap<string, SiteAnswer>, 'get'>;
}

/** How a page is loaded. */
export interface LoadAs {
  readonly kind: VisitKind;
  /** Milliseconds since the epoch, by the browser and the server alike. */
  readonly now: number;
  /** Undefined where no times are wanted. */
  readonly line: Connection | undefined;
  /** Whether single responses are told, and not the totals alone. */
  readonly inFull: boolean;
}

/** Loads one page. */
export function visitPage(
  { load, answers }: KnownLoad,
  cache: PrivateCache,
  { kind, now, line, inFull }: LoadAs,
): LoadedPage {
  const rows: { wanted: Wanted; outcome: Outcome; key: string | undefined }[] = [];
  let [requests, revalidated, fromCache, bytes] = [0, 0, 0, 0];
  const transfers: Transfer[] = [];
  /** By the place of what is wanted: the place of its transfer. */
  const places: number[] = [];
  // What is reloaded is where the page has led to.
  const first =
    kind === 'reload' || kind === 'forced' ? load.wanted.findLastIndex(({ use }) => use === 'page') : 0;
  for (let place = first; place < load.wanted.length; place++) {
    const wanted = load.wanted[place];
    const answer = wanted && answers.get(wanted.url);
    if (!answer) continue;
    let isFirst = true;
    for (const outcome of cache.load(wanted, answer, kind, now)) {
      if (inFull) rows.push({ wanted, outcome, key: answer.key });
      if (outcome.from === 'cache') fromCache++;
      else requests++;
      if (outcome.from === 'revalidated') revalidated++;
      bytes += outcome.bytes;
      if (!line) continue;
      transfers.push({
        use: wanted.use,
        by: wanted.by < 0 ? -1 : (places[wanted.by] ?? -1),
        when: wanted.when,
        blocking: wanted.blocking && isFirst,
        bytes: outcome.bytes,
        isAsked: outcome.from !== 'cache',
        isBehind: !isFirst,
        secure: wanted.url.startsWith('https:'),
      });
      if (isFirst) places[place] = transfers.length - 1;
      isFirst = false;
    }
  }
  const timings = line ? timeTransfers(transfers, line) : [];
  const responses = rows.map(
    (
      { wanted: { url, use, seen = false }, outcome: { from, status, bytes: size, why }, key },
      at,
    ): VisitedResponse => {
      const time = timings[at] ?? UNTIMED;
      return { from, status, bytes: size, why, url, page: load.url, use, key, seen, time };
    },
  );
  let seconds = 0;
  for (const { to } of timings) if (to > seconds) seconds = to;
  return { totals: { requests, revalidated, fromCache, bytes, seconds }, responses };
}

const UNTIMED: Timing = { from: 0, asked: 0, answered: 0, to: 0 };
