/** What publishing would do to a bucket. */
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { Change, ChangeTotals, SettingChange } from '../../core/release/change-list.js';
import { assertOwn, OVER_NOTHING, type ForeignChange } from '../../core/release/foreign.js';
import type { SettingDrift } from '../../core/release/setting-drift.js';
import type { ReleasePlan } from '../../core/release/release.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { BodySource, BucketState } from '../../stores/port.js';
import type { Damage } from './damage.js';
import type { ReaderChanges } from './list-readers.js';
import type { Postponed } from './postponed.js';

export interface Comparison {
  /** Undefined when the bucket is yet to be made. */
  readonly bucket: BucketState | undefined;
  /** How many objects the bucket holds now. */
  readonly held: number;
  /** What would change, in key order. */
  readonly entries: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly becomes: BucketSettings;
  readonly totals: ChangeTotals;
  /** Bytes that publishing sends: what is added or replaced and the store does not hold yet. */
  readonly toSend: number;
  /** The identity that the bucket will have; undefined when only a part is published. */
  readonly identity: string | undefined;
  /** Keys that nobody may read, of a store that could not keep them from the public: they are not sent. */
  readonly withheld: readonly string[];
  /** What somebody else has changed past Fenestra, of a store that others can write to. */
  readonly foreign?: readonly ForeignChange[] | undefined;
  /** Settings of the store that somebody else has changed. */
  readonly drift?: readonly SettingDrift[] | undefined;
  readonly real?: ReleasePlan['real'] | undefined;
  /** What goes to a closed bucket beside, since nobody may read it. */
  readonly companion?: Companion | undefined;
  /** Bodies that are no files of the site: pages that stand for moved addresses. */
  readonly made?: readonly BodySource[];
  /** Bodies that are damaged in the store. */
  readonly damage: Damage;
  /** What anyone will be able to read, and nobody any more. */
  readonly readers: ReaderChanges;
  /** What is removed later, and what pages that somebody holds may ask for. */
  readonly postponed: Postponed;
  /** What was waiting to be removed before, and goes on to; undefined where nobody has looked. */
  readonly waiting?: readonly StoredObject[];
}

export interface Companion {
  readonly bucket: string;
  readonly comparison: Comparison;
}

export const changesNothing = ({ totals, settings, companion: beside }: Comparison): boolean =>
  totals.add + totals.replace + totals.relabel + totals.remove + (totals.due ?? 0) + settings.length === 0 &&
  (beside === undefined || changesNothing(beside.comparison));

export const changesObjects = ({ totals }: Comparison): number =>
  totals.add + totals.replace + totals.relabel + totals.remove;

/** The changes of others that a comparison would overwrite. */
export function listOverwritten({
  foreign = [],
  entries,
}: Pick<Comparison, 'foreign' | 'entries'>): ForeignChange[] {
  if (foreign.length === 0) return [];
  const keys = new Set(entries.map(({ key }) => key));
  return foreign.filter(({ key }) => keys.has(key));
}

/** @throws FenestraError FOREIGN_CHANGES */
export function assertOwnObjects(
  name: string,
  { bucket, companion: beside, ...comparison }: Comparison,
  over = OVER_NOTHING,
): void {
  const overwritten = listOverwritten(comparison).filter(({ key }) => !over.covers(key));
  assertOwn(name, overwritten, bucket?.release ?? 0);
  if (beside) assertOwnObjects(beside.bucket, beside.comparison, over);
}
