/** What of the site is kept for longer than it has lasted so far, by the releases of its bucket. */
import { listKeptPastChanges, withRule, type RuledTooLong } from '../../core/release/kept-too-long.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { readChangeHistory } from '../history/change-history.js';
import type { Project } from '../project/open-project.js';
import type { BucketState } from '../../stores/port.js';
import { glanceAtStore, openStoreOfThisMachine } from '../project/open-store.js';

/** Releases back that a survey looks at. */
const MAX_RELEASES = 20;

/** @returns undefined where nothing is, or the store would have to be asked over a network */
export async function readKeptPastChanges(
  project: Project,
  survey: Pick<SurveyedSite, 'objects'>,
): Promise<RuledTooLong | undefined> {
  // Nobody holds anything of a bucket that nobody could read.
  const mayHold = (bucket: BucketState | undefined): boolean =>
    bucket?.access === 'open' && bucket.release > 1;
  const known = glanceAtStore(project);
  const { bucket: name } = project.destination;
  if (known && !mayHold(known.buckets.find((bucket) => bucket.name === name))) return undefined;
  const store = await openStoreOfThisMachine(project);
  if (!store) return undefined;
  try {
    if (!mayHold(await store.bucket(name))) return undefined;
    const now = Date.now();
    const history = await readChangeHistory(store, name, now, MAX_RELEASES);
    if (!history || history.changes.size === 0) return undefined;
    const { objects } = survey;
    const tooLong = listKeptPastChanges(objects, history, now);
    return withRule(tooLong, objects, ({ decision }) => decision.decidedBy.cache?.by);
  } finally {
    await store.close();
  }
}
