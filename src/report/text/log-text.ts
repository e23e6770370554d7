/** What a log said that costs rest on, for people. */
import { formatDuration } from '../../core/caching/duration.js';
import type { CostOutcome } from '../../core/cost/cost-outcome.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { formatWhen } from '../../core/words/moments.js';
import { visible } from './paint.js';

type LogTraffic = Extract<CostOutcome['traffic'], { readonly from: 'log' }>;

const DAY = 86_400;
/** A week of a quiet site may begin and end with some hours of nobody. */
const WEEK = 6.5 * DAY;
/** Gaps that are named. */
const MAX_GAPS = 3;

/** Days and hours are enough of a long time. */
const roughly = (seconds: number): string =>
  formatDuration(
    seconds >= 2 * DAY
      ? Math.round(seconds / 3600) * 3600
      : seconds >= 7200
        ? Math.round(seconds / 60) * 60
        : Math.round(seconds),
  );

export function describeLog(traffic: LogTraffic): string {
  const { file, seconds, span, isSaid, reads, missing, confirmed, robots, lines, unread } = traffic;
  const times = span ? ` from ${formatWhen(span.from)} to ${formatWhen(span.to)}` : '';
  const parts = [
    `${formatCount(missing)} of what is not there`,
    `${formatCount(confirmed)} answered with 304`,
    ...(robots > 0 ? [`${formatCount(robots)} by robots that say so`] : []),
  ];
  return `by ${visible(file)}: ${countOf(reads, 'read')}${times} (${roughly(seconds)}${isSaid ? ' by --span' : ''}), ${parts.join(', ')}; ${countOf(lines, 'line')}, ${unread === 0 ? 'each of them a request' : `of which ${unread === 1 ? '1 is no request' : `${formatCount(unread)} are no requests`}`}`;
}

/** What makes a figure less sure, one sentence each. */
export function warnOfLog({ seconds, span, isSaid }: LogTraffic): string[] {
  const gaps = span?.gaps ?? [];
  const named = gaps
    .slice(0, MAX_GAPS)
    .map(({ from, hours }) => `${roughly(hours * 3600)} from ${formatWhen(from)}`)
    .join(', ');
  const others = gaps.length > MAX_GAPS ? ` and ${gaps.length - MAX_GAPS} more times` : '';
  return [
    ...(seconds < WEEK
      ? [`The log is of less than a week: a month is taken to be like ${roughly(seconds)} of it.`]
      : []),
    ...(gaps.length > 0 && !isSaid
      ? [
          `It has no request for ${named}${others}; that time counts as time without visitors. Where it is missing, say how much the log is of with --span.`,
        ]
      : []),
    ...((span?.stepsBack ?? 0) > 0
      ? [
          `Its lines are not in the order of their times (${countOf(span?.stepsBack ?? 0, 'step')} back): several logs one after the other count as one. A log that is in it twice counts twice.`,
        ]
      : []),
  ];
}
