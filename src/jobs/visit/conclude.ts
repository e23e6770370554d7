/** What every visit ends with, whatever was visited: advice, a real browser's word, the rules behind the headers. */
import { createCascade } from '../../core/assign/cascade.js';
import { essence, isText } from '../../core/assign/media-type.js';
import { fieldOf } from '../../core/caching/freshness.js';
import type { ChangeHistory } from '../../core/release/change-history.js';
import { adviseCaching } from '../../core/visiting/advice.js';
import { weighLoads } from '../../core/visiting/weigh-budgets.js';
import { DEFAULT_CONNECTION, parseConnection } from '../../core/visiting/connection.js';
import { compareVisits } from '../../core/visiting/compare-visits.js';
import type { Screen } from '../../core/visiting/screen.js';
import type { Browsed, SiteVisits, VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import type { HostedRelease } from './browse.js';
import { runVisits, type VisitOptions } from './visit-site.js';
import { browse, browseLive } from './browse.js';
import type { WhatIf } from './what-if.js';

export interface VisitInput extends VisitOptions {
  /** Paths or whole addresses. */
  readonly paths: readonly string[];
  /** Every page of the site, instead of the paths. */
  readonly everyPage: boolean;
  readonly unpublished: boolean;
  readonly whatIf: WhatIf | undefined;
  /** The program of a browser that makes the same visits. */
  readonly browser: string | undefined;
}

/** @param project whose config has the budgets; undefined where there is none */
export function weighBudgets(
  project: Project | undefined,
  { loads, plan }: SiteVisits,
): Pick<VisitOutcome, 'overBudget' | 'budgeted'> {
  const { budgets = [] } = project?.config ?? {};
  const line = plan.line ?? parseConnection(DEFAULT_CONNECTION);
  return weighLoads(budgets, loads, project?.destination.under ?? '', plan.at, line);
}

/** What one page more costs is the same on the next thousand. */
const MAX_ADVISED = 200;

export function adviseOn(
  { loads, visits, plan }: SiteVisits,
  history: ChangeHistory | undefined,
): Pick<VisitOutcome, 'advice' | 'advisedOn'> {
  const step = Math.ceil(loads.length / MAX_ADVISED);
  const sample = step <= 1 ? loads : loads.filter((_, at) => at % step === 0);
  const bare = { ...plan, reload: false, forced: false, inFull: false };
  // A reload in between changes what the next page finds in the cache.
  const isBare = sample === loads && !plan.reload && !plan.forced;
  const before = isBare ? visits : runVisits(sample, bare);
  const advice = adviseCaching(sample, before, history, (change) => runVisits(sample, bare, change));
  return { advice, advisedOn: sample.length };
}

/** Remembers what only a browser can tell. @returns of how many pages */
export type Learn = (browsed: Browsed, screen: Screen) => Promise<number>;

/** @param hosted the release to browse; undefined for the endpoint itself */
export async function browseToo(
  hosted: HostedRelease | undefined,
  urls: readonly string[],
  { visits, plan }: SiteVisits,
  { browser: program, screen }: VisitInput,
  progress: Progress,
  learn: Learn = () => Promise.resolve(0),
): Promise<Pick<VisitOutcome, 'browsed'>> {
  if (program === undefined) return {};
  const input = { urls, plan, screen, program };
  const browsed = hosted ? await browse(hosted, input, progress) : await browseLive(input, progress);
  const differences = compareVisits(visits, browsed.visits);
  return { browsed: { ...browsed, differences, learned: await learn(browsed, screen) } };
}

/** The plain names of what was met. */
export function plainFinder({ loads }: SiteVisits): VisitOutcome['plainOf'] {
  const [first] = loads;
  return (url) => first?.answers.get(url)?.plain;
}

export function ruleFinder({ config }: Project, { loads }: SiteVisits): VisitOutcome['ruleOf'] {
  const { decide } = createCascade(config.assignments);
  const [first] = loads;
  return (url) => {
    const { key, plain, headers = {} } = first?.answers.get(url) ?? {};
    if (key === undefined) return undefined;
    const { decidedBy, headers: decided } = decide(
      plain ?? key,
      isText(essence(fieldOf(headers, 'Content-Type') ?? '')),
      plain === undefined,
    );
    const isSent = ['Cache-Control', 'Expires'].every((name) => decided[name] === fieldOf(headers, name));
    return isSent ? decidedBy.cache?.by : undefined;
  };
}
