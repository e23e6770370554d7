/** What a destination costs in a month, by rate cards, and what caching saves of it. */
import type { CostOutcome } from '../../core/cost/cost-outcome.js';
import { costByCard } from '../../core/cost/card-cost.js';
import { NO_USAGE, type RateCard, type Usage } from '../../core/cost/rate-card.js';
import type { Advice } from '../../core/visiting/advice.js';
import type { Progress } from '../progress.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import { readHeldUsage } from './held-usage.js';
import { trafficByLog } from './traffic-by-log.js';
import { trafficByVisitors, type VisitorsInput } from './traffic-by-visitors.js';

export interface CostInput extends VisitorsInput {
  readonly cards: readonly RateCard[];
  readonly log?: string | undefined;
  /** Seconds that the log is of, in place of what its lines say. */
  readonly span?: number | undefined;
  /** By how many thousandths traffic grows from each month to the next. */
  readonly growth?: bigint | undefined;
}

/** @throws FenestraError BUCKET_MISSING, NOTHING_PUBLISHED, LOG_UNREADABLE, LOG_TIMELESS, URL_INVALID */
export async function estimateCost(
  project: Project,
  input: CostInput,
  describe: (advice: Advice) => string,
  progress: Progress,
): Promise<CostOutcome> {
  const { destination } = project;
  const held = await withStoreThere(project, (store) => readHeldUsage(store, project));
  const traffic =
    input.log === undefined
      ? await trafficByVisitors(project, input, held.pages, describe, progress)
      : await trafficByLog(input.log, input.span, progress);
  const hasFront = traffic.told.from === 'visitors' && traffic.told.front;
  const usage: Usage = { ...NO_USAGE, ...held.usage, ...traffic.usage, hasFront };
  return {
    destination: destination.name,
    bucket: destination.bucket,
    cards: input.cards.map((card) => costByCard(card, usage, traffic, input.growth)),
    usage,
    traffic: traffic.told,
    ...(traffic.advice === undefined ? {} : { advice: traffic.advice }),
    ...(input.growth === undefined ? {} : { growth: Number(input.growth) }),
  };
}
