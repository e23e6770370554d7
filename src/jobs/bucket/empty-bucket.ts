/** Taking objects out of a bucket, as a release of its own. */
import { compareObjects, type Change } from '../../core/release/change-list.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { plainKey, type StoredObject } from '../../core/site/site-object.js';
import type { Snapshot, Store } from '../../stores/port.js';
import type { Matching } from '../project/matching.js';
import type { Progress } from '../progress.js';
import type { Comparison } from '../publish/comparison.js';
import { NO_DAMAGE } from '../publish/damage.js';
import { NOTHING_POSTPONED } from '../publish/postponed.js';
import { makeRelease } from '../publish/make-release.js';
import type { Questions } from '../questions.js';
import { NO_READER_CHANGES } from '../publish/list-readers.js';

export interface Emptying {
  readonly comparison: Comparison;
  /** What would be removed. */
  readonly removed: readonly Change[];
  /** Every key of the bucket, read when somebody asks. */
  readonly keys: readonly string[];
}

/** @throws FenestraError BUCKET_MISSING */
export async function prepareEmptying(
  store: Store,
  name: string,
  matching: Matching | undefined,
): Promise<Emptying> {
  const snapshot = await store.open(name);
  try {
    const compared = await compareObjects(
      [],
      snapshot.objects(),
      matching && ((object) => matching.covers(plainKey(object))),
      Infinity,
    );
    const comparison: Comparison = {
      bucket: snapshot.state,
      ...compared,
      // What is left alone is kept.
      totals: { ...compared.totals, keep: compared.held - compared.totals.remove },
      settings: [],
      readers: NO_READER_CHANGES,
      becomes: snapshot.state.settings,
      toSend: 0,
      identity: undefined,
      withheld: [],
      damage: NO_DAMAGE,
      // What is emptied on purpose is gone at once.
      postponed: NOTHING_POSTPONED,
    };
    const keys = compared.entries.length === 0 && matching ? await listKeys(snapshot) : [];
    return { comparison, removed: compared.entries, keys };
  } finally {
    await snapshot.close();
  }
}

async function listKeys(snapshot: Snapshot): Promise<string[]> {
  const keys: string[] = [];
  for await (const { key } of snapshot.objects() as AsyncIterable<StoredObject>) keys.push(key);
  return keys;
}

/** @throws FenestraError CONFIRMATION_…, DECLINED, or whatever stops it; then nothing is removed */
export async function emptyBucket(
  store: Store,
  name: string,
  { comparison, removed }: Emptying,
  input: { readonly matching: Matching | undefined; readonly keep: number },
  progress: Progress,
  questions: Questions,
): Promise<ReleaseRecord> {
  await questions.typeName({ about: 'empty', bucket: name, remove: removed.length, of: comparison.held });
  const note = input.matching === undefined ? 'Emptied' : `Emptied of ${input.matching.pattern}`;
  const record = await makeRelease(comparison, [], store, name, { note, keep: input.keep }, progress);
  if (!record) throw new Error('emptying has nothing to prove');
  return record;
}
