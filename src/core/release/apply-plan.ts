/** What a release makes of the objects of a bucket. */
import { compareKeys } from '../site/key.js';
import type { SiteObject, StoredObject } from '../site/site-object.js';
import type { ReleasePlan } from './release.js';

/** What waits to be removed, as a bucket's state says it; undefined where nothing does. */
export type Waiting = { readonly objects: number; readonly bytes: number; readonly next: number } | undefined;

export interface AppliedPlan {
  readonly objects: Map<string, StoredObject>;
  readonly waiting: Waiting;
}

type Changes = Pick<ReleasePlan, 'put' | 'remove' | 'stay'>;

/**
 * For stores that hold a bucket's objects in one piece.
 * @param held the objects before, by key
 * @param at when the release is made: milliseconds since the epoch
 */
export function applyPlan(
  held: Iterable<readonly [string, StoredObject]>,
  plan: Changes,
  at: number,
): AppliedPlan {
  const before = [...held].map(([, object]) => object).sort(byKey);
  const count = new WaitingCount();
  const objects = new Map<string, StoredObject>();
  for (const object of objectsAfter(before, plan, at)) objects.set(object.key, count.note(object));
  return { objects, waiting: count.waiting };
}

const byKey = (a: SiteObject, b: SiteObject): number => compareKeys(a.key, b.key);

/** The objects after a release, in key order, as they come. @param held those before, in key order too */
export function* objectsAfter(
  held: Iterable<StoredObject>,
  { put, remove, stay = [] }: Changes,
  at: number,
): Generator<StoredObject> {
  const removed = new Set(remove);
  const stays = new Map(stay.map((each) => [each.key, each]));
  const staying = (object: StoredObject): StoredObject => {
    const own = stays.get(object.key);
    if (!own) return object;
    const { until, waits } = own;
    const neededUntil = waits ? until : Math.max(until, object.neededUntil ?? 0);
    return { ...object, neededUntil, ...(waits ? { waits } : {}) };
  };
  const made = (object: SiteObject, { neededUntil = 0 }: Partial<StoredObject>): StoredObject =>
    staying({ ...object, since: at, ...(neededUntil > at ? { neededUntil } : {}) });
  const isSorted = put.every(
    (object, number) => number === 0 || byKey(put[number - 1] ?? object, object) < 0,
  );
  const news = isSorted ? put : [...put].sort(byKey);
  let next = 0;
  for (const object of held) {
    for (let one = news[next]; one && compareKeys(one.key, object.key) < 0; one = news[++next])
      if (!removed.has(one.key)) yield made(one, {});
    const own = news[next]?.key === object.key ? news[next++] : undefined;
    if (removed.has(object.key)) continue;
    yield own ? made(own, object) : staying(object);
  }
  for (; next < news.length; next++) {
    const one = news[next];
    if (one && !removed.has(one.key)) yield made(one, {});
  }
}

/** Counts what waits among objects that pass by. */
export class WaitingCount {
  #objects = 0;
  #bytes = 0;
  #next = Infinity;

  note(object: StoredObject): StoredObject {
    if (object.waits) {
      this.#objects++;
      this.#bytes += object.size;
      this.#next = Math.min(this.#next, object.neededUntil ?? 0);
    }
    return object;
  }

  get waiting(): Waiting {
    return this.#objects === 0 ? undefined : { objects: this.#objects, bytes: this.#bytes, next: this.#next };
  }
}
