/** Looking for the objects of a release by their keys, in a list in key order, which takes no memory of its own. */
import { findKey, placeOfKey } from '../site/find-key.js';
import type { StoredObject } from '../site/site-object.js';
import type { BucketView } from './bucket-view.js';

export function lookUpIn(objects: readonly StoredObject[]): Required<Pick<BucketView, 'find' | 'hasBelow'>> {
  const keyAt = (place: number): string => objects[place]?.key ?? '';
  return {
    find: (key) => objects[findKey(objects.length, keyAt, key)],
    hasBelow: (prefix) => objects[placeOfKey(objects.length, keyAt, prefix)]?.key.startsWith(prefix) ?? false,
  };
}
