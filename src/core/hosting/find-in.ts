/** Looking for the objects of a release by their keys, in a list in key order, which takes no memory of its own. */
import { findKey, placeOfKey } from '../site/find-key.js';
import type { StoredObject } from '../site/site-object.js';
import type { BucketView } from './bucket-view.js';

/** Keys that are looked at, of those that do not count. */
export const MAX_BELOW = 1000;

/** Whether a key in key order, from a place on, begins so and counts. @param keyAt '' after the last */
export function hasKeyFrom(
  place: number,
  keyAt: (place: number) => string,
  prefix: string,
  counts: (key: string) => boolean = () => true,
): boolean {
  for (let at = place; at < place + MAX_BELOW; at++) {
    const key = keyAt(at);
    if (key === '' || !key.startsWith(prefix)) return false;
    if (counts(key)) return true;
  }
  return true;
}

export function lookUpIn(objects: readonly StoredObject[]): Required<Pick<BucketView, 'find' | 'hasBelow'>> {
  const keyAt = (place: number): string => objects[place]?.key ?? '';
  return {
    find: (key) => objects[findKey(objects.length, keyAt, key)],
    hasBelow: (prefix, counts) =>
      hasKeyFrom(placeOfKey(objects.length, keyAt, prefix), keyAt, prefix, counts),
  };
}
