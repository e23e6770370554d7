/** Releases: the shapes of what a publish makes, and the order of the work. */
import { FenestraError } from '../errors/catalogue.js';
import type { Access, BucketSettings } from '../hosting/bucket-view.js';
import type { SiteObject, StoredObject } from '../site/site-object.js';
import { objectToPut, type Change, type ChangeTotals } from './change-list.js';

export interface ReleaseRecord {
  readonly release: number;
  /** Milliseconds since the epoch. */
  readonly at: number;
  /** Who published: user@host. */
  readonly by: string;
  /** What the folder of the project is called that published it; absent in releases from before that was kept. */
  readonly folder?: string;
  readonly note: string;
  readonly totals: ChangeTotals;
  readonly settings: BucketSettings;
  /** The release whose state this one publishes again. */
  readonly restores?: number;
  readonly identity?: string;
  /** How many requests its publication had made of the store, of one that is asked over a network. */
  readonly requests?: number;
}

/** Everything that one release changes. */
export interface ReleasePlan {
  /** The release that the change list was made against; 0 for a bucket without any. */
  readonly base: number;
  /** The bucket as it was then; undefined where it was yet to be made. */
  readonly bucket?: { readonly created: number; readonly access: Access } | undefined;
  readonly by: string;
  /** What the folder of the project is called. */
  readonly folder?: string;
  readonly note: string;
  readonly totals: ChangeTotals;
  readonly settings: BucketSettings;
  /** The identity of the site that the bucket will hold; undefined when only a part was published. */
  readonly identity?: string;
  readonly put: readonly SiteObject[];
  readonly remove: readonly string[];
  /** What lies in the bucket otherwise than it was left, of stores that others can write to. */
  readonly real?: {
    /** Objects that somebody else has put, whose bytes are known to be the site's. */
    readonly learned: readonly StoredObject[];
    /** Keys under which somebody else has put other bytes. */
    readonly unknown: readonly string[];
    /** Keys that somebody else has removed. */
    readonly gone: readonly string[];
  };
  /** Objects that stay as they are, and are kept in mind for longer; absent in plans of stores' older callers. */
  readonly stay?: readonly Stay[];
  /** When the next of what waits is due, where that is known: milliseconds since the epoch; null where nothing waits. */
  readonly nextDue?: number | null;
  readonly restores?: number;
  /**
   * Whether what is put is to be looked at before the release is made: a store that would show it at once keeps it where
   * nobody finds it until then.
   */
  readonly staged?: true;
}

/** An object that a page which somebody holds may ask for. */
export interface Stay {
  readonly key: string;
  /** Until when: milliseconds since the epoch. */
  readonly until: number;
  /** Whether no page of the release names it any more, so that it waits to be removed. */
  readonly waits: boolean;
}

/**
 * Splits a change list into the rows to write, the keys to remove, and those that are removed later.
 * @param removals keys that are removed later, and when
 * @param needed objects of the release that pages of earlier ones may ask for, and until when
 */
export function planRows(
  changes: readonly Change[],
  removals: ReadonlyMap<string, { readonly until: number }> = new Map(),
  needed: ReadonlyMap<string, number> = new Map(),
): { put: SiteObject[]; remove: string[]; stay: Stay[] } {
  const put: SiteObject[] = [];
  const remove: string[] = [];
  const stay: Stay[] = [];
  for (const change of changes) {
    const object = objectToPut(change);
    const later = removals.get(change.key);
    if (object) put.push(object);
    else if (later === undefined) remove.push(change.key);
    else stay.push({ key: change.key, until: later.until, waits: true });
  }
  for (const [key, until] of needed) stay.push({ key, until, waits: false });
  return { put, remove, stay };
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
