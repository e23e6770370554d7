/** What a shared cache before the bucket does with an answer, asked for now and again. */
import type { ObjectHeaders } from '../site/site-object.js';
import {
  canConfirm,
  decideKeeping,
  sharedFreshnessOf,
  type NotKept,
  type SharedDecider,
} from './shared-freshness.js';

export interface FrontUse {
  /** Why it is not kept; undefined where it is. */
  readonly notKept?: NotKept;
  /** Seconds for which the next visitors are answered without asking the bucket. */
  readonly fresh: number;
  readonly by: SharedDecider;
  /** Whether the bucket then only has to confirm it. */
  readonly confirmable: boolean;
  /** Seconds after that for which it is used while it is asked for. */
  readonly staleWhileRevalidate: number;
}

/** @param at milliseconds since the epoch */
export function frontUseOf(
  request: {
    readonly method: string;
    readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  },
  status: number,
  headers: ObjectHeaders,
  at: number,
): FrontUse {
  const answer = { status, headers, at };
  const asked = Object.fromEntries(
    Object.entries(request.headers).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, String(value)]],
    ),
  );
  const notKept = decideKeeping({ method: request.method, headers: asked }, answer);
  const { lifetime, by, staleWhileRevalidate: grace } = sharedFreshnessOf(answer);
  return {
    ...(notKept === undefined ? {} : { notKept }),
    fresh: notKept === undefined ? lifetime : 0,
    by,
    confirmable: canConfirm(answer),
    staleWhileRevalidate: notKept === undefined ? grace : 0,
  };
}
