/** Visits of a site: what its pages ask for, first and again, with and without its cache headers. */
import pMap from 'p-map';
import { Discoverer } from '../../core/visiting/discover.js';
import type { PageLoad, SiteAnswer, Unknown, VisitedSite } from '../../core/visiting/page-load.js';
import {
  momentsOf,
  Visits,
  withoutCacheHeaders,
  type Visit,
  type VisitPlan,
} from '../../core/visiting/run-visits.js';
import type { SeenPages } from '../../core/visiting/seen-requests.js';
import type { Screen } from '../../core/visiting/screen.js';
import type { TimeOut } from '../../core/visiting/time-out.js';
import type { SiteVisits } from '../../core/visiting/visit-outcome.js';
import type { KnownLoad } from '../../core/visiting/visit.js';
import type { Progress } from '../progress.js';
import { rememberAnswers } from './remembering-site.js';

export interface VisitOptions extends Omit<VisitPlan, 'after' | 'at'> {
  /** Seconds; undefined for the moments at which something expires. */
  readonly after: readonly number[] | undefined;
  readonly screen: Screen;
  /** What a browser was seen to ask for. */
  readonly seen?: SeenPages | undefined;
}

/** Returns that are looked at unless some are named. */
const MAX_MOMENTS = 4;
const SIDE_BY_SIDE = 2;

/** When a site is visited: milliseconds since the epoch. */
export interface VisitTime {
  readonly at: number;
  /** When it was published. */
  readonly since: number;
  /** How long it is out before visitors come of whom headers are kept away. */
  readonly timeOut: TimeOut;
}

/** @param urls of the pages, in the order in which they are walked */
export async function visitSite(
  visited: VisitedSite,
  urls: readonly string[],
  { after, screen, seen, ...options }: VisitOptions,
  { at, timeOut, since }: VisitTime,
  progress: Progress,
): Promise<SiteVisits> {
  const loads = await loadPages(visited, urls, { screen, seen }, progress);
  const plan = { ...options, at, after: after ?? momentsOf(loads, at, MAX_MOMENTS) };
  return {
    at,
    visits: runVisits(loads, plan),
    withoutHeaders: runVisits(
      loads,
      { ...plan, at: Math.max(at, since + timeOut.seconds * 1000), inFull: false },
      withoutCacheHeaders,
    ),
    timeOut,
    unknown: addUnknown(loads.map(({ load }) => load)),
    loads,
    plan,
  };
}

/** What the load of each page asks for, and what that gives. */
export async function loadPages(
  visited: VisitedSite,
  urls: readonly string[],
  { screen, seen }: Pick<VisitOptions, 'screen' | 'seen'>,
  progress: Progress,
): Promise<KnownLoad[]> {
  const site = rememberAnswers(visited);
  const discoverer = new Discoverer(site, screen, seen);
  const answers = { get: (url: string) => site.known(url) };
  const loads: KnownLoad[] = [];
  let loaded = 0;
  progress.step('visit', { objects: urls.length });
  // What a page is read from is on a disk or beyond a line: some are read side by side.
  await pMap(
    urls,
    async (url, at) => {
      loads[at] = { load: await discoverer.page(url), answers };
      progress.advance(0, ++loaded);
    },
    { concurrency: SIDE_BY_SIDE },
  );
  return loads;
}

export function runVisits(
  loads: readonly KnownLoad[],
  plan: VisitPlan,
  change?: (answer: SiteAnswer) => SiteAnswer,
): Visit[] {
  const visits = new Visits(plan, change);
  for (const load of loads) visits.add(load);
  return visits.run();
}

const addUnknown = (loads: readonly PageLoad[]): Unknown => ({
  scripts: loads.reduce((sum, { unknown }) => sum + unknown.scripts, 0),
  seen: loads.reduce((sum, { unknown }) => sum + unknown.seen, 0),
  lazy: loads.reduce((sum, { unknown }) => sum + unknown.lazy, 0),
  media: loads.reduce((sum, { unknown }) => sum + unknown.media, 0),
  elsewhereRequests: loads.reduce((sum, { unknown }) => sum + unknown.elsewhereRequests, 0),
  others: [...new Set(loads.flatMap(({ unknown }) => unknown.others))].sort(),
  elsewhere: [...new Set(loads.flatMap(({ unknown }) => unknown.elsewhere))].sort(),
});
