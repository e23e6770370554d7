/** Publishing, in named steps that the commands put together. */
import { hostname, userInfo } from 'node:os';
import { join } from 'node:path';
import {
  compareObjects,
  compareSettings,
  countChanges,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import { planRows, type ReleaseRecord } from '../../core/release/release.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { readPublished, streamPublished } from '../../disk/read-file.js';
import type { BodySource, BucketState, BucketStore } from '../../stores/port.js';
import type { Terminal } from '../terminal.js';

export interface Changes {
  /** Undefined when the bucket is yet to be made. */
  readonly bucket: BucketState | undefined;
  /** `keep` included. */
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly becomes: BucketSettings;
  readonly totals: ChangeTotals;
}

/** Compares the site with a bucket. @param covers limits it to some keys and leaves the settings alone */
export async function compareWithBucket(
  objects: readonly SurveyObject[],
  wanted: BucketSettings,
  store: BucketStore | undefined,
  name: string,
  covers?: (key: string) => boolean,
): Promise<Changes> {
  const bucket = await store?.readBucket(name);
  const stored = store && bucket ? store.listObjects(name) : [];
  const changes = compareObjects(objects, stored, covers);
  const becomes = covers && bucket ? bucket.settings : wanted;
  const settings =
    covers && bucket
      ? []
      : compareSettings(bucket && bucket.release > 0 ? bucket.settings : undefined, becomes);
  return { bucket, changes, settings, becomes, totals: countChanges(changes) };
}

export const changesNothing = ({ totals, settings }: Changes): boolean =>
  totals.add + totals.replace + totals.relabel + totals.remove + settings.length === 0;

/** Sends the bodies that the changes need, then makes the release. */
export async function publishChanges(
  { bucket, changes, becomes, totals }: Changes,
  objects: readonly SurveyObject[],
  store: BucketStore,
  name: string,
  input: { readonly site: string; readonly note: string },
  terminal: Terminal,
): Promise<ReleaseRecord> {
  const at = Date.now();
  if (!bucket) await store.createBucket(name, at);
  const sent = new Set(
    changes.filter(({ change }) => change === 'add' || change === 'replace').map(({ key }) => key),
  );
  const line = terminal.progress('Publishing');
  try {
    await store.putBodies(listBodies(objects, sent, input.site), (bytes) =>
      line.update(bytes, Math.max(totals.bytes, 1)),
    );
  } finally {
    line.stop();
  }
  const { put, remove } = planRows(changes);
  return store.commitRelease(name, {
    base: bucket?.release ?? 0,
    at: Date.now(),
    by: publisher(),
    note: input.note,
    totals,
    settings: becomes,
    put,
    remove,
  });
}

function* listBodies(
  objects: readonly SurveyObject[],
  sent: ReadonlySet<string>,
  site: string,
): Generator<BodySource> {
  for (const object of objects) {
    if (!sent.has(object.key)) continue;
    const path = join(site, object.path);
    const { encoding } = object.decision;
    yield {
      object,
      path,
      read: () => readPublished(path, encoding),
      stream: () => streamPublished(path, encoding),
    };
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
