/** Removing what is due: objects that no page in a browser can ask for any more, then what no release needs. */
import type { Change } from '../../core/release/change-list.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { byUntil, waitingOf, type Waiting } from '../../core/release/waiting.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { BucketState, Removed, Store } from '../../stores/port.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import type { Comparison } from '../publish/comparison.js';
import { NO_DAMAGE } from '../publish/damage.js';
import { makeRelease } from '../publish/make-release.js';
import { NOTHING_POSTPONED } from '../publish/postponed.js';
import { NO_READER_CHANGES } from '../publish/list-readers.js';

export interface Sweeping {
  readonly bucket: BucketState;
  /** What is due, in key order. */
  readonly due: readonly Change[];
  /** What goes on waiting, the first due first. */
  readonly waiting: readonly Waiting[];
  readonly comparison: Comparison;
}

/** @param now milliseconds since the epoch @throws FenestraError BUCKET_MISSING */
export async function prepareSweep(store: Store, name: string, now: number): Promise<Sweeping> {
  const snapshot = await store.open(name);
  try {
    const bucket = snapshot.state;
    const due: Change[] = [];
    const waiting: StoredObject[] = [];
    let held = 0;
    for await (const object of snapshot.objects()) {
      const { key, plain, size, digest, headers, waits, neededUntil = 0 } = object;
      if (!waits) held++;
      else if (neededUntil > now) waiting.push(object);
      else
        due.push({
          key,
          change: 'remove',
          ...(plain === undefined ? {} : { plainKey: plain }),
          was: { size, digest, headers },
          waited: true,
        });
    }
    const comparison: Comparison = {
      bucket,
      held,
      entries: due,
      settings: [],
      readers: NO_READER_CHANGES,
      becomes: bucket.settings,
      totals: { add: 0, replace: 0, relabel: 0, remove: 0, keep: held, due: due.length, bytes: 0 },
      toSend: 0,
      // What visitors are meant to see stays as it is.
      identity: bucket.identity,
      withheld: [],
      damage: NO_DAMAGE,
      postponed: NOTHING_POSTPONED,
      waiting,
    };
    return { bucket, due, waiting: waitingOf(waiting).sort(byUntil), comparison };
  } finally {
    await snapshot.close();
  }
}

export interface Swept {
  /** Undefined where nothing was due. */
  readonly record: ReleaseRecord | undefined;
  /** Bodies that no release needs. */
  readonly removed: Removed;
}

/** @throws FenestraError PUBLISHED_MEANWHILE, or whatever stops it; then nothing is removed */
export async function sweepBucket(
  { config, destination }: Project,
  store: Store,
  { due, comparison }: Sweeping,
  progress: Progress,
): Promise<Swept> {
  const { bucket } = destination;
  const keep = config.historyDepth;
  const input = { note: 'Swept what was due', keep };
  const record =
    due.length === 0 ? undefined : await makeRelease(comparison, [], store, bucket, input, progress);
  progress.step('tidy');
  const removed = (await store.keepReleases?.(bucket, keep)) ?? { bodies: 0, bytes: 0 };
  return { record, removed };
}
