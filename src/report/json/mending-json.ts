/** The JSON document of what somebody else has changed of a bucket. */
import { DRIFTS } from '../../core/release/setting-drift.js';
import { showChange } from '../../core/release/change-list.js';
import type { ShownMending } from '../text/mend-text.js';

/** @param release that puts objects back; null for none */
export const mendingJson = (
  { bucket, settings, objects, added, lost, looked, of }: ShownMending,
  release: number | null,
): object => ({
  bucket: bucket.name,
  release,
  settings: settings.map(({ what, ofRecords, now, must }) => ({
    setting: what,
    means: DRIFTS[what],
    of: ofRecords ? 'records' : 'bucket',
    now,
    must,
  })),
  objects: objects.map(showChange),
  added: added.map(({ key }) => key),
  lost,
  looked,
  of,
});
