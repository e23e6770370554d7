/** What a browser still holds of an answer, and what makes it go away. */
import { ageOf, decideReuse, freshnessOf, type Decider, type KeptAnswer } from '../caching/freshness.js';
import type { ObjectHeaders } from '../site/site-object.js';

/** For how long an answer that is loaded now may be used without asking. */
export interface Usable {
  /** Milliseconds since the epoch; Infinity for ever, undefined where every use asks. */
  readonly until: number | undefined;
  readonly by: Decider;
}

export function usableFrom(status: number, headers: ObjectHeaders, now: number): Usable {
  const answer: KeptAnswer = { status, headers, at: now };
  const { lifetime, by } = freshnessOf(answer);
  const left = lifetime - ageOf(answer, now);
  return { until: left > 0 ? now + left * 1000 : undefined, by };
}

/** An answer of an earlier release, in a browser that loaded it as late as it could. */
export interface HeldCopy {
  readonly release: number;
  /** When it could be loaded for the last time: milliseconds since the epoch. */
  readonly loadedAt: number;
  /**
   * `same`: it is what is published now. `shown`: it is used without asking. `asked`: the next use asks and gets what
   * is published now. `gone`: that release had nothing there that a browser keeps.
   */
  readonly state: 'same' | 'shown' | 'asked' | 'gone';
  /** Until when it is used; Infinity for ever. */
  readonly until?: number;
  readonly by?: Decider;
  /** Whether it is a page itself: a plain reload asks for those alone. */
  readonly isPage: boolean;
}

/** @param then what the release answered, undefined where it had nothing there @param now milliseconds since the epoch */
export function decideHeld(
  release: number,
  then: { readonly status: number; readonly headers: ObjectHeaders; readonly isPage: boolean } | undefined,
  isSame: boolean,
  loadedAt: number,
  now: number,
): HeldCopy {
  const about = { release, loadedAt, isPage: then?.isPage ?? false };
  if (isSame) return { ...about, state: 'same' };
  if (!then) return { ...about, state: 'gone' };
  const answer: KeptAnswer = { status: then.status, headers: then.headers, at: loadedAt };
  const reuse = decideReuse(answer, now, !then.isPage);
  if (reuse.kind !== 'ask') {
    const { lifetime, staleWhileRevalidate: grace } = freshnessOf(answer);
    const whole = lifetime + (then.isPage ? 0 : grace);
    return { ...about, state: 'shown', until: now + (whole - ageOf(answer, now)) * 1000, by: reuse.by };
  }
  return { ...about, state: 'asked', by: reuse.by };
}
