/** Finding a key among others in key order. */
import { compareKeys } from './key.js';

/** @returns the place of the key; -1 where it is not there */
export function findKey(count: number, keyAt: (place: number) => string, key: string): number {
  let [low, high] = [0, count - 1];
  while (low <= high) {
    const middle = (low + high) >> 1;
    const order = compareKeys(keyAt(middle), key);
    if (order === 0) return middle;
    if (order < 0) low = middle + 1;
    else high = middle - 1;
  }
  return -1;
}
