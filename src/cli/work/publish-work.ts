/** Publishing, in named steps that the commands put together. */
import { hostname, userInfo } from 'node:os';
import {
  compareObjects,
  compareSettings,
  countChanges,
  countToSend,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { planRows, type ReleasePlan, type ReleaseRecord } from '../../core/release/release.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource, BucketState, BucketStore } from '../../stores/port.js';
import { visible } from '../../report/text/paint.js';
import type { Terminal } from '../terminal.js';

export interface Changes {
  /** Undefined when the bucket is yet to be made. */
  readonly bucket: BucketState | undefined;
  /** In key order. */
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly becomes: BucketSettings;
  readonly totals: ChangeTotals;
  /** Bytes that publishing sends: what is added or replaced and the store does not hold yet. */
  readonly toSend: number;
  /** The identity that the bucket will have; undefined when only a part is published. */
  readonly identity: string | undefined;
}

/** Compares the site with a bucket. @param covers limits it to some keys and leaves the settings alone */
export async function compareWithBucket(
  site: SurveyedSite,
  wanted: BucketSettings,
  store: BucketStore | undefined,
  name: string,
  covers?: (key: string) => boolean,
): Promise<Changes> {
  const bucket = await store?.readBucket(name);
  const becomes = covers && bucket ? bucket.settings : wanted;
  const settings =
    covers && bucket
      ? []
      : compareSettings(bucket && bucket.release > 0 ? bucket.settings : undefined, becomes);
  const identity = covers ? undefined : site.identity;
  if (!covers && bucket?.identity === site.identity) return keepObjects(bucket, settings, becomes);
  const all = compareObjects(site.objects, store && bucket ? store.listObjects(name) : [], covers);
  const changes = all.filter(({ change }) => change !== 'keep');
  const sent = changes.flatMap(({ change, becomes }) =>
    becomes && (change === 'add' || change === 'replace') ? [becomes] : [],
  );
  return {
    bucket,
    changes,
    settings,
    becomes,
    totals: countChanges(all),
    toSend: store ? await store.countToSend(sent) : countToSend(sent),
    identity,
  };
}

/** The comparison with a bucket that holds the site already, settings and all; undefined when it does not. */
export function compareWithSame(
  site: SurveyedSite,
  wanted: BucketSettings,
  bucket: BucketState | undefined,
): Changes | undefined {
  if (bucket?.identity !== site.identity || compareSettings(bucket.settings, wanted).length > 0)
    return undefined;
  return keepObjects(bucket, [], wanted);
}

const keepObjects = (
  bucket: BucketState,
  settings: readonly SettingChange[],
  becomes: BucketSettings,
): Changes => ({
  bucket,
  changes: [],
  settings,
  becomes,
  totals: { add: 0, replace: 0, relabel: 0, remove: 0, keep: bucket.objects, bytes: 0 },
  toSend: 0,
  identity: bucket.identity,
});

export const changesNothing = ({ totals, settings }: Changes): boolean =>
  totals.add + totals.replace + totals.relabel + totals.remove + settings.length === 0;

/** Sends the bodies that the changes need and makes the release. */
export async function publishChanges(
  changes: Changes,
  bodies: Iterable<BodySource>,
  store: BucketStore,
  name: string,
  input: {
    readonly note: string;
    readonly keep: number;
    readonly restores?: number;
    /** Called before the release is made, when its bodies can be opened; when it throws, none is made. */
    readonly prove?: () => Promise<void>;
  },
  terminal: Terminal,
): Promise<ReleaseRecord> {
  const { bucket, becomes, totals, identity } = changes;
  if (!bucket) await createUnlessThere(store, name);
  const line = terminal.progress('Publishing');
  const plan = (): ReleasePlan => ({
    base: bucket?.release ?? 0,
    bucket,
    at: Date.now(),
    by: publisher(),
    note: input.note,
    totals,
    settings: becomes,
    ...planRows(changes.changes),
    ...(identity === undefined ? {} : { identity }),
    ...(input.restores === undefined ? {} : { restores: input.restores }),
  });
  let record: ReleaseRecord;
  try {
    record = await store.publish(
      name,
      bodies,
      plan,
      (bytes) => line.update(bytes, Math.max(totals.bytes, 1)),
      input.prove,
    );
  } finally {
    line.stop();
  }
  try {
    await store.keepReleases(name, input.keep);
  } catch (error) {
    // The release is made, whatever becomes of the older ones.
    if (!(error instanceof FenestraError)) throw error;
    const why = error.code === 'STORE_FULL' ? 'The disk is full.' : error.message;
    terminal.remark(
      visible(`Release ${record.release} is published; what only older ones needed is still there. ${why}`),
    );
  }
  return record;
}

/** Somebody may make the bucket at the same moment; whose release it gets is decided when one is made. */
async function createUnlessThere(store: BucketStore, name: string): Promise<void> {
  try {
    await store.createBucket(name, Date.now());
  } catch (error) {
    if (!(error instanceof FenestraError && error.code === 'BUCKET_TAKEN')) throw error;
  }
}

/** Who publishes: user@host. */
export function publisher(): string {
  let user = 'somebody';
  try {
    user = userInfo().username;
  } catch {
    // A user id without a name, as in containers.
  }
  return `${user}@${hostname()}`;
}
