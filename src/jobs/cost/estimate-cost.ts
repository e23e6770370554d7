/** What a destination costs in a month, by rate cards, and what caching saves of it. */
import { createCascade } from '../../core/assign/cascade.js';
import { essence, isText } from '../../core/assign/media-type.js';
import type { CostOutcome } from '../../core/cost/cost-outcome.js';
import { costByCard, type PathCount, type CountedUsage, type Traffic } from '../../core/cost/card-cost.js';
import type { RateCard, Usage } from '../../core/cost/rate-card.js';
import {
  MONTH_SECONDS,
  perMonth,
  splitVisitors,
  trafficOf,
  type Visitors,
  type VisitLoad,
} from '../../core/cost/traffic.js';
import { fieldOf } from '../../core/caching/freshness.js';
import { DEFAULT_SCREEN } from '../../core/visiting/screen.js';
import { withHeader, type Visit } from '../../core/visiting/run-visits.js';
import type { SiteAnswer } from '../../core/visiting/page-load.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { pathOf } from '../../core/words/path-of.js';
import type { Store } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import { listPages, visitProject } from '../visit/visit-project.js';
import { runVisits } from '../visit/visit-site.js';
import { readLog, type LogCounts } from './read-log.js';

export interface CostInput {
  readonly cards: readonly RateCard[];
  readonly visitors: Visitors;
  /** Pages of a visit; those that are named, else so many from the home page on. */
  readonly paths: readonly string[];
  readonly pages: number;
  /** Seconds after which somebody comes back. */
  readonly after: number;
  readonly log?: string | undefined;
}

/** Bytes of the head of an answer, which logs do not count. */
const HEAD = 350;

/** Traffic with where it comes from. */
interface FoundTraffic extends Traffic {
  readonly advice?: VisitOutcome['advice'][number];
  readonly told: CostOutcome['traffic'];
}

/** @throws FenestraError BUCKET_MISSING, NOTHING_PUBLISHED, LOG_UNREADABLE, URL_INVALID */
export async function estimateCost(
  project: Project,
  input: CostInput,
  describe: (advice: VisitOutcome['advice'][number]) => string,
  progress: Progress,
): Promise<CostOutcome> {
  const { destination } = project;
  const held = await withStoreThere(project, (store) => readHeld(store, project));
  const traffic =
    input.log === undefined
      ? await byVisitors(project, input, held.pages, progress)
      : await byLog(input.log, progress);
  const usage: Usage = { ...held.usage, ...traffic.usage };
  const cards = input.cards.map((card) => costByCard(card, usage, traffic));
  return {
    destination: destination.name,
    bucket: destination.bucket,
    cards,
    usage,
    traffic: traffic.told,
    ...(traffic.advice ? { advice: describe(traffic.advice) } : {}),
  };
}

/** What lies there, and what the publishes of a month write. */
async function readHeld(
  store: Store,
  { destination }: Project,
): Promise<{ readonly usage: Pick<Usage, 'storage' | 'write' | 'list'>; readonly pages: readonly string[] }> {
  const snapshot = await store.open(destination.bucket);
  try {
    let storage = 0n;
    for await (const { size } of snapshot.objects()) storage += BigInt(size);
    const pages = await listPages(snapshot.objects(), snapshot.state.settings);
    const since = Date.now() - MONTH_SECONDS * 1000;
    const releases = store.guarantees.history ? ((await store.releases?.(destination.bucket)) ?? []) : [];
    const recent = releases.filter(({ at }) => at >= since);
    const written = recent.reduce(
      (sum, { totals }) => sum + totals.add + totals.replace + totals.relabel + totals.remove,
      0,
    );
    return { usage: { storage, write: BigInt(written), list: BigInt(recent.length) }, pages };
  } finally {
    await snapshot.close();
  }
}

async function byVisitors(
  project: Project,
  { visitors, paths, pages, after }: CostInput,
  all: readonly string[],
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
  const loadOf = (visits: readonly Visit[], number: number): VisitLoad => ({
    requests: visits[number]?.totals.requests ?? 0,
    bytes: visits[number]?.totals.bytes ?? 0,
  });
  const usageOf = (visits: readonly Visit[]): CountedUsage =>
    trafficOf(visitors, loadOf(visits, 0), loadOf(visits, 1));
  const { visits, loads, plan, advice, withoutHeaders } = visited;
  const [best] = advice;
  const again = loadOf(visits, 1);
  const plain = { ...plan, inFull: false };
  const first = loadOf(visits, 0);
  return {
    usage: usageOf(visits),
    withoutHeaders: usageOf(withoutHeaders),
    ...(best
      ? {
          advice: best,
          withAdvice: trafficOf(visitors, first, {
            requests: again.requests - best.saves.requests,
            bytes: again.bytes - best.saves.bytes,
          }),
        }
      : {}),
    rules: listRules(project, (change) => usageOf(runVisits(loads, plain, change))),
    objects: countObjects(visits, visitors),
    told: { from: 'visitors', ...visitors, pages: walk, first, again, after },
  };
}

/** What would be sent without a line of `assign` that says something of caches, for each of them. */
function listRules(
  { config }: Project,
  run: (change: (answer: SiteAnswer) => SiteAnswer) => CountedUsage,
): Traffic['rules'] {
  const { rules } = config.assignments;
  return rules
    .filter((rule) => rule.cache !== undefined)
    .map((rule) => {
      const without = createCascade({ ...config.assignments, rules: rules.filter((each) => each !== rule) });
      const usage = run((answer) => {
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

async function byLog(file: string, progress: Progress): Promise<FoundTraffic> {
  progress.step('survey');
  const counts: LogCounts = await readLog(file, (bytes) => progress.advance(bytes, 0));
  const { reads, bytes, seconds, missing, confirmed, unread, paths } = counts;
  const sent = BigInt(bytes) + BigInt(reads) * BigInt(HEAD);
  return {
    usage: { read: perMonth(BigInt(reads), seconds), transfer: perMonth(sent, seconds) },
    rules: [],
    objects: paths,
    told: { from: 'log', file, days: seconds / 86_400, reads, missing, confirmed, unread },
  };
}
