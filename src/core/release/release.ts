/** Releases: the shapes of what a publish makes, and the order of the work. */
import { FenestraError } from '../errors/catalogue.js';
import type { Access, BucketSettings } from '../hosting/bucket-view.js';
import type { SiteObject } from '../site/site-object.js';
import { objectToPut, type Change, type ChangeTotals } from './change-list.js';

export interface ReleaseRecord {
  readonly release: number;
  /** Milliseconds since the epoch. */
  readonly at: number;
  /** Who published: user@host. */
  readonly by: string;
  readonly note: string;
  readonly totals: ChangeTotals;
  readonly settings: BucketSettings;
  /** The release whose state this one publishes again. */
  readonly restores?: number;
  readonly identity?: string;
}

/** Everything that one release changes. */
export interface ReleasePlan {
  /** The release that the change list was made against; 0 for a bucket without any. */
  readonly base: number;
  /** The bucket as it was then; undefined where it was yet to be made. */
  readonly bucket?: { readonly created: number; readonly access: Access } | undefined;
  readonly by: string;
  readonly note: string;
  readonly totals: ChangeTotals;
  readonly settings: BucketSettings;
  /** The identity of the site that the bucket will hold; undefined when only a part was published. */
  readonly identity?: string;
  readonly put: readonly SiteObject[];
  readonly remove: readonly string[];
  readonly restores?: number;
}

/** Splits a change list into the rows to write and the keys to remove. */
export function planRows(changes: readonly Change[]): { put: SiteObject[]; remove: string[] } {
  const put: SiteObject[] = [];
  const remove: string[] = [];
  for (const change of changes) {
    const object = objectToPut(change);
    if (object) put.push(object);
    else remove.push(change.key);
  }
  return { put, remove };
}

/** @param known the releases that are kept, in any order */
export function releaseUnknown(bucket: string, release: number, known: readonly number[]): FenestraError {
  const [first, last] = [Math.min(...known), Math.max(...known)];
  return new FenestraError('RELEASE_UNKNOWN', {
    bucket,
    release,
    known: known.length === 0 ? 'none' : first === last ? `only ${first}` : `${first} to ${last}`,
  });
}
