/** Objects of a release by their keys. */
import { compareKeys } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';

/** Finds objects in a list in key order, which takes no memory of its own. */
export function findIn(objects: readonly StoredObject[]): (key: string) => StoredObject | undefined {
  return (key) => {
    let [low, high] = [0, objects.length - 1];
    while (low <= high) {
      const middle = (low + high) >> 1;
      const object = objects[middle];
      const order = object ? compareKeys(object.key, key) : 0;
      if (order === 0) return object;
      if (order < 0) low = middle + 1;
      else high = middle - 1;
    }
    return undefined;
  };
}
