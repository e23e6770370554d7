/** The releases of a bucket, and what one of them changed. */
import {
  compareSettings,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import { byUntil, waitingOf, type Waiting } from '../../core/release/waiting.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { releaseUnknown, type ReleaseRecord } from '../../core/release/release.js';
import type { Store } from '../../stores/port.js';
import { compareReleases } from './compare-releases.js';
import type { Project } from '../project/open-project.js';
import { glanceAtStore, assertBucket } from '../project/open-store.js';
import { assertHistory } from './assert-history.js';

export interface History {
  readonly bucket: string;
  /** The current release. */
  readonly release: number;
  /** Newest first; empty where the store keeps none. */
  readonly releases: readonly ReleaseRecord[];
  /** Whether the store keeps earlier releases at all. */
  readonly kept: boolean;
  /** What waits to be removed, the first due first. */
  readonly waiting: readonly Waiting[];
}

/** @throws FenestraError BUCKET_MISSING */
export async function readHistory(store: Store, bucket: string): Promise<History> {
  const { release, waiting } = await assertBucket(store, bucket);
  const kept = store.guarantees.history;
  const releases = kept ? ((await store.releases?.(bucket)) ?? []) : [];
  return { bucket, release, kept, releases, waiting: waiting ? await listAllWaiting(store, bucket) : [] };
}

/** The same without opening the store, where that is known. */
export function glanceAtHistory(project: Project): History | undefined {
  const { bucket } = project.destination;
  const { buckets, releases } = glanceAtStore(project) ?? {};
  const state = buckets?.find(({ name }) => name === bucket);
  const known = releases?.get(bucket);
  if (!state || !known || state.waiting) return undefined;
  return { bucket, release: state.release, kept: true, releases: known, waiting: [] };
}

async function listAllWaiting(store: Store, bucket: string): Promise<Waiting[]> {
  const snapshot = await store.open(bucket);
  try {
    const objects: StoredObject[] = [];
    for await (const object of snapshot.objects()) if (object.waits) objects.push(object);
    return waitingOf(objects).sort(byUntil);
  } finally {
    await snapshot.close();
  }
}

export interface ReleaseChanges {
  readonly record: ReleaseRecord;
  /** Undefined where the release before is no longer kept, so that only the counts are known. */
  readonly entries: readonly Change[] | undefined;
  readonly settings: readonly SettingChange[];
  readonly totals: ChangeTotals;
}

/** @throws FenestraError BUCKET_MISSING, RELEASE_UNKNOWN, STORE_CANNOT */
export async function readReleaseChanges(
  store: Store,
  bucket: string,
  release: number,
): Promise<ReleaseChanges> {
  const now = await assertBucket(store, bucket);
  const releases = await assertHistory(store, 'tell what a release changed').releases(bucket);
  const record = releases.find((each) => each.release === release);
  if (!record)
    throw releaseUnknown(
      bucket,
      release,
      releases.map((each) => each.release),
    );
  const earlier = releases.find((each) => each.release === release - 1);
  if (!earlier && release !== 1) return { record, entries: undefined, settings: [], totals: record.totals };
  const [before, after] = [await store.open(bucket, release - 1), await store.open(bucket, release)];
  try {
    const held = heldBefore(releases, release, now.objects);
    const { entries, totals } = await compareReleases(store, before, after, held, Infinity);
    return { record, entries, totals, settings: compareSettings(earlier?.settings, record.settings) };
  } finally {
    await before.close();
    await after.close();
  }
}

/** How many objects there were before a release: counted back from now. @param releases newest first */
function heldBefore(
  releases: readonly ReleaseRecord[],
  release: number,
  now: number | undefined,
): number | undefined {
  if (now === undefined) return undefined;
  const since = releases.filter((each) => each.release >= release);
  return since.reduce((held, { totals }) => held - totals.add + totals.remove, now);
}
