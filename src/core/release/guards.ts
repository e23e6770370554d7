/** Publishes that deserve more than a yes: what is asked for the bucket's name, and why. */
import { createReadPolicy } from '../access/read-policy.js';
import type { Access, BucketSettings } from '../hosting/bucket-view.js';
import { isDeepEqual } from './plain-data.js';
import type { ChangeTotals } from './change-list.js';

export interface Guarded {
  readonly access: Access;
  readonly settings: BucketSettings;
}

/** Whether a publish removes more than half of what a bucket holds. @param held objects in it */
export const removesMost = ({ remove }: ChangeTotals, held: number): boolean => held > 1 && remove > held / 2;

/** The keys that nobody could read and that anyone will, because the policy of an open bucket becomes wider. */
export function newlyReadable(
  keys: () => Iterable<string>,
  bucket: Guarded | undefined,
  becomes: BucketSettings,
): string[] {
  if (bucket?.access !== 'open' || isDeepEqual(bucket.settings.readable, becomes.readable)) return [];
  const before = createReadPolicy(bucket.settings.readable);
  const after = createReadPolicy(becomes.readable);
  return [...keys()].filter((key) => !before.isReadable(key) && after.isReadable(key));
}
