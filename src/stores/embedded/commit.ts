/** Making a release: called inside one write transaction, so it happens at a single instant or not at all. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { BucketState } from '../port.js';
import type { ObjectRow, Rows } from './rows.js';

/**
 * Writes a release's rows, and an undo row for each that it changes.
 * @throws FenestraError PUBLISHED_MEANWHILE when the bucket is no longer at the plan's base
 * @throws FenestraError BODIES_SWEPT when bytes that were sent are gone again
 * @throws FenestraError OPENED_MEANWHILE when the public can read what was agreed on for a closed bucket
 */
export function commitRelease(rows: Rows, bucket: BucketState, plan: ReleasePlan, at: number): ReleaseRecord {
  // A bucket that was removed and made again may be at the same number.
  const another = plan.bucket !== undefined && plan.bucket.created !== bucket.created;
  if (bucket.release !== plan.base || another) throw publishedMeanwhile(rows, bucket, plan, another);
  if (bucket.access === 'open' && plan.bucket?.access !== 'open')
    throw new FenestraError('OPENED_MEANWHILE', { bucket: bucket.name });
  const release = bucket.release + 1;
  let { objects = 0, bytes = 0 } = bucket;
  const change = (key: string, becomes: ObjectRow | undefined): void => {
    const was = rows.current.get([bucket.name, key]);
    rows.undo.putSync([bucket.name, release, key], was ?? null);
    if (was) {
      objects--;
      bytes -= was.size;
    }
    if (becomes) {
      rows.current.putSync([bucket.name, key], becomes);
      objects++;
      bytes += becomes.size;
    } else rows.current.removeSync([bucket.name, key]);
  };
  for (const { key, digest, size, headers } of plan.put) {
    if (size > 0 && !rows.bodies.doesExist(digest))
      throw new FenestraError('BODIES_SWEPT', { bucket: bucket.name, key });
    change(key, { digest, size, since: at, headers });
  }
  for (const key of plan.remove) change(key, undefined);
  const { by, note, totals, settings, restores, identity } = plan;
  const record: ReleaseRecord = {
    release,
    at,
    by,
    note,
    totals,
    settings,
    ...(restores === undefined ? {} : { restores }),
    ...(identity === undefined ? {} : { identity }),
  };
  rows.releases.putSync([bucket.name, release], record);
  rows.buckets.putSync(bucket.name, { ...bucket, identity, release, settings, objects, bytes });
  return record;
}

function publishedMeanwhile(
  rows: Rows,
  bucket: BucketState,
  plan: ReleasePlan,
  another: boolean,
): FenestraError {
  const last = rows.releases.get([bucket.name, bucket.release]);
  const who = last
    ? `, by ${last.by} at ${new Date(last.at).toISOString().slice(0, 19).replace('T', ' ')} UTC`
    : '';
  return new FenestraError('PUBLISHED_MEANWHILE', {
    bucket: bucket.name,
    base: plan.base,
    head: bucket.release,
    who: `${another ? ', of a bucket made anew' : ''}${who}`,
  });
}
