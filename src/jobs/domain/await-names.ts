/** Waiting until everybody whose resolver keeps to the TTLs comes to the bucket's host. */
import { formatClock } from '../../core/words/moments.js';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Progress } from '../progress.js';
import type { CheckedName, CheckedNames } from '../../core/dns/checked-names.js';

/** Asked again at the latest after so long, and not before. Milliseconds. */
const [SOONEST, LATEST] = [1000, 60_000];

export interface AwaitedNames {
  readonly last: CheckedNames;
  /** Whether nothing is left to wait for. */
  readonly isDone: boolean;
  /** Milliseconds. */
  readonly waited: number;
}

/** Whether an error stands in the way that no waiting mends by itself. */
export const isWaiting = ({ reaches, wait, oldAnswers }: CheckedName): boolean =>
  !reaches || wait !== undefined || oldAnswers;

/** What is waited for, in words; the name that takes longest. */
export function describeWaiting({ names }: CheckedNames, now: number): string {
  const wrong = names.filter(({ reaches }) => !reaches);
  if (wrong.length > 0) {
    const [first] = wrong;
    const isMoving = first?.findings.some(
      ({ rule }) => rule === 'parents-differ' || rule === 'delegation-elsewhere',
    );
    return `${wrong.map(({ need }) => need.name).join(', ')}: ${isMoving ? "waiting for the parent's servers to name the new ones" : 'waiting for the records to be right'}; asked again every little while`;
  }
  const [last] = names
    .flatMap((each) => (each.wait ? [{ name: each.need.name, wait: each.wait }] : []))
    .sort((a, b) => b.wait.until - a.wait.until);
  const old = names.filter(({ oldAnswers }) => oldAnswers).map(({ need }) => need.name);
  if (!last && old.length > 0)
    return `${old.join(', ')}: servers of before still lead to the old place, and some resolvers ask them for as long as they answer: put the new records into the old zone, or have it removed`;
  if (!last) return 'nothing is left to wait for';
  const seconds = Math.ceil((last.wait.until - now) / 1000);
  return `${last.name}: resolvers may hold the old answer for ${seconds} s more, until ${formatClock(last.wait.until)} UTC (${last.wait.because})`;
}

/** When it is worth asking again: milliseconds from now. */
function askAgainIn({ names }: CheckedNames, now: number): number {
  const wrong = names.filter(({ reaches }) => !reaches);
  if (wrong.length > 0) {
    const ttls = wrong.flatMap(({ facts }) => facts.parents.map(({ nsTtl }) => nsTtl * 1000));
    return Math.min(LATEST, Math.max(SOONEST, Math.min(...ttls, LATEST) / 4));
  }
  // What servers of before say is asked for now and then.
  if (names.every(({ wait }) => wait === undefined)) return Math.min(LATEST, 5 * SOONEST);
  const untils = names.flatMap(({ wait }) => (wait ? [wait.until - now] : []));
  return Math.min(LATEST, Math.max(SOONEST / 4, ...untils));
}

/**
 * @param check asks again @param timeoutMs after which it is given up
 * @param told of each state that is waited in
 */
export async function awaitNames(
  check: () => Promise<CheckedNames>,
  timeoutMs: number,
  progress: Progress,
  told: (state: CheckedNames) => void,
): Promise<AwaitedNames> {
  const began = Date.now();
  for (;;) {
    const last = await check();
    const now = Date.now();
    const waited = now - began;
    if (!last.names.some(isWaiting)) return { last, isDone: true, waited };
    told(last);
    if (waited >= timeoutMs) return { last, isDone: false, waited };
    const pause = Math.min(askAgainIn(last, now), timeoutMs - waited);
    progress.step('wait', { objects: Math.ceil(pause / 1000) });
    for (let left = pause; left > 0; left -= 1000) {
      progress.advance(0, Math.round((pause - left) / 1000));
      await sleep(Math.min(1000, left));
    }
  }
}
