/** Finding a key among others in key order. */
import { compareKeys } from './key.js';

/** @returns the place of the key; -1 where it is not there */
export function findKey(count: number, keyAt: (place: number) => string, key: string): number {
  const place = placeOfKey(count, keyAt, key);
  return place < count && keyAt(place) === key ? place : -1;
}

/** @returns the place of the first key that is not before this one; their number where all are */
export function placeOfKey(count: number, keyAt: (place: number) => string, key: string): number {
  let [low, high] = [0, count];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (compareKeys(keyAt(middle), key) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}
