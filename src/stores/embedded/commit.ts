/** Making a release: called inside one write transaction, so it happens at a single instant or not at all. */
import { formatSecond } from '../../core/words/moments.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { sinceAfter } from '../../core/release/since.js';
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { BucketState } from '../port.js';
import { withSince, type ObjectRow } from './object-row.js';
import type { Rows } from './rows.js';
import { NOTE } from './table-names.js';
import { addUse } from './uses.js';

/**
 * Writes a release's rows, and an undo row for each that it changes.
 * @param isCounted whether a use of a body was counted when it came; true once for each
 * @throws FenestraError PUBLISHED_MEANWHILE when the bucket is no longer at the plan's base
 * @throws FenestraError BODIES_SWEPT when bytes that were sent are gone again
 * @throws FenestraError OPENED_MEANWHILE when the public can read what was agreed on for a closed bucket
 */
export function commitRelease(
  rows: Rows,
  bucket: BucketState,
  plan: ReleasePlan,
  at: number,
  isCounted: (digest: string) => boolean,
): ReleaseRecord {
  // A bucket that was removed and made again may be at the same number.
  const another = plan.bucket !== undefined && plan.bucket.created !== bucket.created;
  if (bucket.release !== plan.base || another) throw publishedMeanwhile(rows, bucket, plan, another);
  if (bucket.access === 'open' && plan.bucket?.access !== 'open')
    throw new FenestraError('OPENED_MEANWHILE', { bucket: bucket.name });
  const release = bucket.release + 1;
  let { objects = 0, bytes = 0 } = bucket;
  const waiting = { objects: 0, bytes: 0, ...bucket.waiting };
  const note = rows.note.get(NOTE);
  const sinceOf = createSinceOf(rows, bucket, at, note?.latest ?? 0);
  let latest = note?.latest ?? 0;
  const change = (key: string, becomes: SiteObject | undefined): void => {
    const was = bucket.release > 0 ? rows.current.get([bucket.name, key]) : undefined;
    // Before the first release there was nothing, which needs no rows to lead back to.
    if (release > 1) rows.undo.put([bucket.name, release, key], was ?? null);
    count(was, -1);
    if (becomes) {
      const since = sinceOf(key, was);
      latest = Math.max(latest, since);
      // Who asks for it does so by its name, whatever its bytes are.
      const { neededUntil = 0 } = was ?? {};
      const row = withSince(becomes, since, neededUntil > at ? neededUntil : undefined);
      rows.current.put([bucket.name, key], row);
      count(row, 1);
    } else rows.current.remove([bucket.name, key]);
  };
  const count = (row: ObjectRow | undefined, by: 1 | -1): void => {
    if (row?.waits) {
      waiting.objects += by;
      waiting.bytes += by * row.size;
    } else if (row) {
      objects += by;
      bytes += by * row.size;
    }
  };
  for (const object of plan.put) {
    // What was there before goes on being used, by the row that leads back to it.
    if (!(isCounted(object.digest) ? rows.bodies.has(object.digest) : addUse(rows, object)))
      throw new FenestraError('BODIES_SWEPT', { bucket: bucket.name, key: object.key });
    change(object.key, object);
  }
  for (const key of plan.remove) change(key, undefined);
  let next = plan.nextDue === undefined ? (bucket.waiting?.next ?? null) : plan.nextDue;
  for (const { key, until, waits } of plan.stay ?? []) {
    const was = rows.current.get([bucket.name, key]);
    if (!was) continue;
    // What this release has put leads back already.
    if (release > 1 && !rows.undo.has([bucket.name, release, key])) {
      rows.undo.put([bucket.name, release, key], was);
      addUse(rows, was);
    }
    count(was, -1);
    const row = {
      ...was,
      neededUntil: waits ? until : Math.max(until, was.neededUntil ?? 0),
      ...(waits ? { waits } : {}),
    };
    rows.current.put([bucket.name, key], row);
    count(row, 1);
    if (waits) next = Math.min(next ?? Infinity, row.neededUntil);
  }
  if (note && latest > note.latest) rows.note.put(NOTE, { ...note, latest });
  const { by, folder, totals, settings, restores, identity } = plan;
  const record: ReleaseRecord = {
    release,
    at,
    by,
    ...(folder === undefined ? {} : { folder }),
    note: plan.note,
    totals,
    settings,
    ...(restores === undefined ? {} : { restores }),
    ...(identity === undefined ? {} : { identity }),
  };
  rows.releases.put([bucket.name, release], record);
  const { waiting: _waiting, ...state } = bucket;
  rows.buckets.put(bucket.name, {
    ...state,
    identity,
    release,
    settings,
    objects,
    bytes,
    ...(waiting.objects > 0
      ? { waiting: { objects: waiting.objects, bytes: waiting.bytes, next: next ?? at } }
      : {}),
  });
  return record;
}

/**
 * When an object that is put becomes what it is. Objects that were there before never go back behind what was said of
 * them, also those that were removed in the same second, and also where the clock has gone back.
 */
function createSinceOf(
  rows: Rows,
  { name, release: head }: BucketState,
  at: number,
  latest: number,
): (key: string, was: ObjectRow | undefined) => number {
  if (at < latest) return () => sinceAfter(at, latest);
  const second = Math.floor(at / 1000) * 1000;
  const ofThisSecond: number[] = [];
  for (let release = head; release > 0; release--) {
    if ((rows.releases.get([name, release])?.at ?? 0) < second) break;
    ofThisSecond.push(release);
  }
  return (key, was) => {
    if (was) return sinceAfter(at, was.since);
    let since = at;
    for (const release of ofThisSecond) {
      const before = rows.undo.get([name, release, key]);
      if (before) since = Math.max(since, sinceAfter(at, before.since));
    }
    return since;
  };
}

function publishedMeanwhile(
  rows: Rows,
  bucket: BucketState,
  plan: ReleasePlan,
  another: boolean,
): FenestraError {
  const last = rows.releases.get([bucket.name, bucket.release]);
  const who = last ? `, by ${last.by} at ${formatSecond(last.at)}` : '';
  return new FenestraError('PUBLISHED_MEANWHILE', {
    bucket: bucket.name,
    base: plan.base,
    head: bucket.release,
    who: `${another ? ', of a bucket made anew' : ''}${who}`,
  });
}
