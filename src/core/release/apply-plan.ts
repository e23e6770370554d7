/** What a release makes of the objects of a bucket, for stores that hold them in one piece. */
import type { StoredObject } from '../site/site-object.js';
import type { ReleasePlan } from './release.js';

export interface AppliedPlan {
  readonly objects: Map<string, StoredObject>;
  /** What waits to be removed, as a bucket's state says it; undefined where nothing does. */
  readonly waiting: { readonly objects: number; readonly bytes: number; readonly next: number } | undefined;
}

/**
 * @param held the objects before, by key
 * @param at when the release is made: milliseconds since the epoch
 */
export function applyPlan(
  held: Iterable<readonly [string, StoredObject]>,
  { put, remove, stay = [] }: Pick<ReleasePlan, 'put' | 'remove' | 'stay'>,
  at: number,
): AppliedPlan {
  const objects = new Map(held);
  for (const object of put) {
    const { neededUntil = 0 } = objects.get(object.key) ?? {};
    objects.set(object.key, { ...object, since: at, ...(neededUntil > at ? { neededUntil } : {}) });
  }
  for (const key of remove) objects.delete(key);
  for (const { key, until, waits } of stay) {
    const object = objects.get(key);
    const neededUntil = waits ? until : Math.max(until, object?.neededUntil ?? 0);
    if (object) objects.set(key, { ...object, neededUntil, ...(waits ? { waits } : {}) });
  }
  const waiting = [...objects.values()].filter(({ waits }) => waits);
  return {
    objects,
    waiting:
      waiting.length === 0
        ? undefined
        : {
            objects: waiting.length,
            bytes: waiting.reduce((sum, { size }) => sum + size, 0),
            next: waiting.reduce((next, { neededUntil = 0 }) => Math.min(next, neededUntil), Infinity),
          },
  };
}
