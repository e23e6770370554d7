/** The traffic of a month, by visits that are expected, through the model of visits and of the front. */
import { createCascade } from '../../core/assign/cascade.js';
import { essence, isText } from '../../core/assign/media-type.js';
import { fieldOf } from '../../core/caching/freshness.js';
import { frontUseOf } from '../../core/caching/front-use.js';
import type { CountedUsage, PathCount, Traffic } from '../../core/cost/card-cost.js';
import { behindFront, type FrontAsked } from '../../core/cost/front-traffic.js';
import {
  splitVisitors,
  timesUnits,
  trafficOf,
  type Visitors,
  type VisitLoad,
} from '../../core/cost/traffic.js';
import { followAdvice, type Advice } from '../../core/visiting/advice.js';
import type { SiteAnswer } from '../../core/visiting/page-load.js';
import { withHeader, withoutCacheHeaders, type Visit } from '../../core/visiting/run-visits.js';
import { DEFAULT_SCREEN } from '../../core/visiting/screen.js';
import type { KnownLoad } from '../../core/visiting/visit.js';
import { pathOf } from '../../core/words/path-of.js';
import type { Progress } from '../progress.js';
import type { Project } from '../project/open-project.js';
import { visitProject } from '../visit/visit-project.js';
import { runVisits } from '../visit/visit-site.js';
import type { FoundTraffic } from './traffic-by-log.js';

export interface VisitorsInput {
  readonly visitors: Visitors;
  /** Pages of a visit; those that are named, else so many from the home page on. */
  readonly paths: readonly string[];
  readonly pages: number;
  /** Seconds after which somebody comes back. */
  readonly after: number;
}

type Change = (answer: SiteAnswer) => SiteAnswer;

/** @throws FenestraError NOTHING_PUBLISHED, URL_INVALID */
export async function trafficByVisitors(
  project: Project,
  { visitors, paths, pages, after }: VisitorsInput,
  all: readonly string[],
  describe: (advice: Advice) => string,
  progress: Progress,
): Promise<FoundTraffic> {
  const home = all.filter((path) => path === '/');
  const walk = paths.length > 0 ? paths : [...home, ...all.filter((path) => path !== '/')].slice(0, pages);
  const visited = await visitProject(
    project,
    {
      paths: walk.length > 0 ? walk : ['/'],
      everyPage: false,
      unpublished: false,
      whatIf: undefined,
      after: [after],
      inSequence: false,
      reload: false,
      forced: false,
      line: undefined,
      screen: DEFAULT_SCREEN,
      inFull: true,
      browser: undefined,
    },
    progress,
  );
  const { visits, loads, plan, advice, timeOut } = visited;
  const hasFront = project.destination.front?.shared ?? false;
  const count = (own: readonly Visit[], change: Change = (answer) => answer): CountedUsage =>
    hasFront
      ? behindFront(listAsked(own, answersOf(loads, change), visitors, plan.at).values())
      : { ...trafficOf(visitors, loadOf(own[0]), loadOf(own[1])), ...NO_FRONT };
  const by = (change: Change, at = plan.at): CountedUsage =>
    count(runVisits(loads, { ...plan, at, inFull: true }, change), change);
  const [best] = advice;
  const usage = count(visits);
  return {
    usage,
    withoutHeaders: by(withoutCacheHeaders, plan.at + timeOut.seconds * 1000),
    ...(best ? { advice: describe(best), withAdvice: by(followAdvice(loads, best)) } : {}),
    rules: listRules(project, by),
    ...(hasFront
      ? behind(listAsked(visits, answersOf(loads), visitors, plan.at))
      : { objects: countObjects(visits, visitors) }),
    told: {
      from: 'visitors',
      ...visitors,
      pages: walk,
      first: loadOf(visits[0]),
      again: loadOf(visits[1]),
      after,
      front: hasFront,
    },
  };
}

const NO_FRONT = { frontStorage: 0n, frontRequests: 0n, frontTransfer: 0n };

const loadOf = (visit: Visit | undefined): VisitLoad => ({
  requests: visit?.totals.requests ?? 0,
  confirmed: visit?.totals.revalidated ?? 0,
  missing: (visit?.responses ?? []).filter(({ from, status }) => from !== 'cache' && status === 404).length,
  bytes: visit?.totals.bytes ?? 0,
});

/** What each address gives, by any of the loads. */
function answersOf(
  loads: readonly KnownLoad[],
  change: Change = (answer) => answer,
): ReadonlyMap<string, SiteAnswer> {
  const all = new Map<string, SiteAnswer>();
  for (const { load, answers } of loads)
    for (const { url } of load.wanted) {
      const answer = all.has(url) ? undefined : answers.get(url);
      if (answer) all.set(url, change(answer));
    }
  return all;
}

/** What reaches the bucket of what is asked of the front. */
function behind(asked: ReadonlyMap<string, FrontAsked>): Required<Pick<Traffic, 'objects' | 'times'>> {
  const objects = new Map<string, PathCount>();
  for (const [url, each] of asked) {
    const path = pathOf(url);
    const { read, transfer } = behindFront([each]);
    const known = objects.get(path) ?? { requests: 0, bytes: 0 };
    objects.set(path, { requests: known.requests + Number(read), bytes: known.bytes + Number(transfer) });
  }
  return {
    objects,
    times: (factor) =>
      behindFront(
        [...asked.values()].map((each) => ({
          ...each,
          requests: timesUnits(each.requests, factor),
          confirmed: timesUnits(each.confirmed, factor),
          bytes: timesUnits(each.bytes, factor),
        })),
      ),
  };
}

/** What all visitors of a month ask of the front, by address. */
function listAsked(
  visits: readonly Visit[],
  answers: ReadonlyMap<string, SiteAnswer>,
  visitors: Visitors,
  at: number,
): Map<string, FrontAsked> {
  const { first, again } = splitVisitors(visitors);
  const asked = new Map<string, { requests: bigint; confirmed: bigint; bytes: bigint }>();
  for (const [number, times] of [first, again].entries())
    for (const { url, from, status, bytes } of visits[number]?.responses ?? []) {
      if (from === 'cache' || !answers.has(url)) continue;
      const known = asked.get(url) ?? { requests: 0n, confirmed: 0n, bytes: 0n };
      const many = BigInt(times);
      asked.set(url, {
        requests: known.requests + many,
        confirmed: known.confirmed + (status === 304 ? many : 0n),
        bytes: known.bytes + many * BigInt(bytes),
      });
    }
  const known = new Map<string, FrontAsked>();
  for (const [url, own] of asked) {
    const answer = answers.get(url);
    if (!answer) continue;
    const { status, headers, head, confirmedHead, size } = answer;
    const { notKept, fresh, confirmable } = frontUseOf({ method: 'GET', headers: {} }, status, headers, at);
    known.set(url, {
      ...own,
      isMissing: status === 404,
      whole: head + size,
      head: confirmedHead,
      fresh: notKept === undefined ? fresh : undefined,
      isConfirmable: confirmable,
    });
  }
  return known;
}

/** What would be sent without a line of `assign` that says something of caches, for each of them. */
function listRules({ config }: Project, by: (change: Change) => CountedUsage): Traffic['rules'] {
  const { rules } = config.assignments;
  return rules
    .filter((rule) => rule.cache !== undefined)
    .map((rule) => {
      const without = createCascade({ ...config.assignments, rules: rules.filter((each) => each !== rule) });
      const usage = by((answer) => {
        const { key, headers, status } = answer;
        if (key === undefined || status !== 200) return answer;
        const type = fieldOf(headers, 'Content-Type') ?? '';
        const then = without.decide(answer.plain ?? key, isText(essence(type)), answer.plain === undefined);
        const control = then.headers['Cache-Control'];
        return control === fieldOf(headers, 'Cache-Control') ? answer : withHeader(answer, control);
      });
      const what = [...(rule.to ?? []), ...(rule.type ?? [])].join(', ');
      return { line: `line ${rule.line}: ${what}`, usage };
    });
}

/** By path, with the folder that it lies in. */
function countObjects(visits: readonly Visit[], visitors: Visitors): ReadonlyMap<string, PathCount> {
  const { first, again } = splitVisitors(visitors);
  const counts = new Map<string, PathCount>();
  for (const [number, times] of [first, again].entries())
    for (const { url, from, bytes } of visits[number]?.responses ?? []) {
      if (from === 'cache') continue;
      const path = pathOf(url);
      const known = counts.get(path) ?? { requests: 0, bytes: 0 };
      counts.set(path, { requests: known.requests + times, bytes: known.bytes + bytes * times });
    }
  return counts;
}
