/** What waits to be removed. */
import type { StoredObject } from '../site/site-object.js';
import type { Change } from './change-list.js';

export interface Waiting {
  readonly key: string;
  /** The key under its plain name, where its own is versioned. */
  readonly plainKey?: string;
  /** Milliseconds since the epoch. */
  readonly until: number;
  /** The key of what may ask for it; undefined where that was said when it was taken out. */
  readonly because?: string | undefined;
}

/** What will wait once some changes are published, the first due first. */
export function listWaiting({
  entries,
  postponed: { removals },
  waiting = [],
}: {
  readonly entries: readonly Change[];
  readonly postponed: {
    readonly removals: ReadonlyMap<string, { readonly until: number; readonly because: string }>;
  };
  readonly waiting?: readonly StoredObject[];
}): Waiting[] {
  const plain = new Map(entries.map(({ key, plainKey }) => [key, plainKey]));
  const now = [...removals].map(([key, { until, because }]): Waiting => {
    const plainKey = plain.get(key);
    return {
      key,
      ...(plainKey === undefined ? {} : { plainKey }),
      until,
      because: because === '' ? undefined : because,
    };
  });
  return [...now, ...waitingOf(waiting)].sort(byUntil);
}

/** What waits among the objects of a bucket, in the order in which they are given. */
export const waitingOf = (objects: Iterable<StoredObject>): Waiting[] =>
  [...objects].flatMap(({ key, plain, waits, neededUntil = 0 }) =>
    waits ? [{ key, ...(plain === undefined ? {} : { plainKey: plain }), until: neededUntil }] : [],
  );

export const byUntil = (a: Waiting, b: Waiting): number => a.until - b.until || (a.key < b.key ? -1 : 1);
