/** Objects of a release by their keys. */
import { findKey } from '../site/find-key.js';
import type { StoredObject } from '../site/site-object.js';

/** Finds objects in a list in key order, which takes no memory of its own. */
export function findIn(objects: readonly StoredObject[]): (key: string) => StoredObject | undefined {
  const keyAt = (place: number): string => objects[place]?.key ?? '';
  return (key) => objects[findKey(objects.length, keyAt, key)];
}
