/** How long a release of a site is out before the next one: what browsers guess from hangs on it. */
const HOUR = 3_600_000;
/** Seconds that are taken where a site has no history yet. */
const ASSUMED = 7 * 86_400;

export interface TimeOut {
  readonly seconds: number;
  /** The median of what the site's history says, a guess of ours, or no guess: as it is at this moment. */
  readonly by: 'history' | 'assumed' | 'now';
}

export const AS_IT_IS: TimeOut = { seconds: 0, by: 'now' };

/** @param times of its releases: milliseconds since the epoch, in any order */
export function typicalTimeOut(times: readonly number[]): TimeOut {
  const sorted = [...times].sort((a, b) => a - b);
  const between = sorted
    .slice(1)
    .map((time, at) => time - (sorted[at] ?? time))
    // What is published anew within the hour was a correction, and not what visitors came back to.
    .filter((span) => span >= HOUR)
    .sort((a, b) => a - b);
  const middle = between.length >> 1;
  const [low, high] = [between[between.length % 2 === 1 ? middle : middle - 1], between[middle]];
  if (low === undefined || high === undefined) return { seconds: ASSUMED, by: 'assumed' };
  return { seconds: Math.round((low + high) / 2000), by: 'history' };
}
