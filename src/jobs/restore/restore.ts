/** Publishing the state of an earlier release again: what would change, then carrying it out. */
import { compareObjects, compareSettings } from '../../core/release/change-list.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { Store } from '../../stores/port.js';
import { needHistory } from '../history/need-history.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { agreeToPublish, decideQuestions } from '../publish/agree.js';
import type { Comparison } from '../publish/comparison.js';
import { makeRelease } from '../publish/make-release.js';
import type { Questions } from '../questions.js';

/** @param release the one to go back to @throws FenestraError BUCKET_MISSING, RELEASE_UNKNOWN, STORE_CANNOT */
export async function prepareRestore(
  { destination: { bucket: name } }: Project,
  store: Store,
  release: number,
  progress: Progress,
): Promise<Comparison> {
  progress.step('compare');
  needHistory(store, 'go back to an earlier release');
  const now = await store.open(name);
  try {
    const then = await store.open(name, release);
    try {
      const bucket = now.state;
      // Who may read what is decided today, never by going back.
      const becomes = { ...then.state.settings, readable: bucket.settings.readable };
      return {
        bucket,
        ...(await compareObjects(then.objects(), now.objects())),
        settings: compareSettings(bucket.settings, becomes),
        becomes,
        // The bodies of every kept release are in the store.
        toSend: 0,
        identity: then.state.identity,
        withheld: [],
      };
    } finally {
      await then.close();
    }
  } finally {
    await now.close();
  }
}

/** @throws FenestraError whatever stops it; then nothing is published */
export async function carryOutRestore(
  { config, destination }: Project,
  store: Store,
  comparison: Comparison,
  input: { readonly release: number; readonly note: string; readonly yes: boolean },
  progress: Progress,
  questions: Questions,
): Promise<ReleaseRecord> {
  // What the public may read stays as it is, so no key becomes readable.
  await agreeToPublish(
    decideQuestions(comparison, () => [], destination, []),
    input.yes,
    questions,
  );
  const record = await makeRelease(
    comparison,
    [],
    store,
    destination.bucket,
    { note: input.note, keep: config.historyDepth, restores: input.release },
    progress,
  );
  if (!record) throw new Error('a restore has nothing to prove');
  return record;
}
