/** The JSON document of what somebody else has changed of a bucket. */
import { DRIFTS, type DriftKind, type SettingDrift } from '../../core/release/setting-drift.js';
import { showChange } from '../../core/release/change-list.js';
import type { ShownMending } from '../text/mend-text.js';

export interface DriftJson {
  readonly setting: DriftKind;
  readonly means: string;
  readonly of: 'records' | 'bucket';
  /** As the store writes it; '' where it is not set. */
  readonly now: string;
  readonly must: string;
}

export const driftJson = (drift: readonly SettingDrift[]): DriftJson[] =>
  drift.map(({ what, ofRecords, now, must }) => ({
    setting: what,
    means: DRIFTS[what],
    of: ofRecords ? 'records' : 'bucket',
    now,
    must,
  }));

/** @param release that puts objects back; null for none */
export const mendingJson = (
  { bucket, settings, objects, added, lost, looked, of }: ShownMending,
  release: number | null,
): object => ({
  bucket: bucket.name,
  release,
  settings: driftJson(settings),
  objects: objects.map(showChange),
  added: added.map(({ key }) => key),
  lost,
  looked,
  of,
});
