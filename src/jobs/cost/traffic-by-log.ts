/** The traffic of a month, by an access log. */
import type { CostOutcome } from '../../core/cost/cost-outcome.js';
import type { CountedUsage, Traffic } from '../../core/cost/card-cost.js';
import { perMonth } from '../../core/cost/traffic.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { countOf } from '../../core/words/counts.js';
import type { Progress } from '../progress.js';
import { readLog } from './read-log.js';

/** Traffic with where it comes from. */
export interface FoundTraffic extends Traffic {
  readonly told: CostOutcome['traffic'];
  /** The best line of advice, in words. */
  readonly advice?: string;
}

/** Bytes of the head of an answer, which logs do not count. */
const HEAD = 350;

/** What no front has a part in. */
const NO_FRONT = { frontStorage: 0n, frontRequests: 0n, frontTransfer: 0n };

/** A log is taken as the bucket's own. @throws FenestraError LOG_UNREADABLE, LOG_TIMELESS */
export async function trafficByLog(
  file: string,
  said: number | undefined,
  progress: Progress,
): Promise<FoundTraffic> {
  progress.step('survey');
  const counts = await readLog(file, (bytes) => progress.advance(bytes, 0));
  const { reads, bytes, span, missing, confirmed, robots, lines, unread, paths } = counts;
  const seconds = said ?? (span ? (span.to - span.from) / 1000 : 0);
  if (seconds < 1)
    throw new FenestraError('LOG_TIMELESS', {
      path: file,
      requests: countOf(lines - unread, 'request'),
      why: span ? 'are of one moment' : 'say no time',
    });
  const month = (count: bigint): bigint => perMonth(count, seconds);
  const usage: CountedUsage = {
    read: month(BigInt(reads)),
    confirmed: month(BigInt(confirmed)),
    missing: month(BigInt(missing)),
    transfer: month(BigInt(bytes) + BigInt(reads) * BigInt(HEAD)),
    ...NO_FRONT,
  };
  return {
    usage,
    rules: [],
    objects: paths,
    told: {
      from: 'log',
      file,
      seconds,
      isSaid: said !== undefined,
      span,
      ...{ reads, missing, confirmed, robots, lines, unread },
    },
  };
}
