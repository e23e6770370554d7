/** The check of a project's bucket as it is published, beside its site folder. */
import { areAlike } from '../../core/check/compare-places.js';
import type { Baseline } from '../../core/check/baseline.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { ObjectHeaders, StoredObject } from '../../core/site/site-object.js';
import { ownPart } from '../../core/site/site-in-subfolder.js';
import type { Snapshot, Store } from '../../stores/port.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { openView } from '../host/host-release.js';
import { addressOf, withStoreThere } from '../project/open-store.js';
import type { Project } from '../project/open-project.js';
import { findKind } from '../../stores/kinds.js';
import { placeOf } from '../project/place-of.js';
import { endpointOfBucket } from '../project/site-place.js';
import type { Progress } from '../progress.js';
import { compareWithBucket, compareWithSame } from '../publish/compare-with-bucket.js';
import { changesObjects, listOverwritten } from '../publish/comparison.js';
import { siteOpener } from '../publish/site-opener.js';
import { surveyProject } from '../survey/survey-project.js';
import { checkAgainst, emulated } from './check-against.js';
import { checkRelease, type CheckOptions } from './check-release.js';
import { isOwnMachine } from '../../core/words/public-url.js';
import { POLITE_RATE } from './limits.js';
import { startThread } from './probe-release.js';

export interface CheckProjectInput extends Omit<CheckOptions, 'baseline'> {
  readonly baseline: Baseline | undefined;
  /** Another destination that every address is asked of too. */
  readonly against?: string | undefined;
}

/** @throws FenestraError BUCKET_MISSING, NOTHING_PUBLISHED, ENDPOINT_DEAD, BODY_DAMAGED, SITE_… */
export async function checkProject(
  project: Project,
  input: CheckProjectInput,
  progress: Progress,
): Promise<CheckOutcome> {
  const survey = await surveyProject(project, progress);
  return withStoreThere(project, async (store) => {
    const { bucket, settings } = project.destination;
    const snapshot = await openPublished(store, bucket);
    const isOwn = ownPart(project.destination.under, snapshot.state.settings);
    const isEmulated = (!input.at && !store.address) || input.both === true;
    const thread = isEmulated && !isOwn ? startThread(snapshot.state.objects ?? 0, input) : undefined;
    try {
      progress.step('compare');
      // Where others can write, only looking tells.
      const same = snapshot.foreign ? undefined : compareWithSame(survey, settings, snapshot.state);
      const comparison =
        same ??
        (await compareWithBucket(survey, settings, store, bucket, {
          open: siteOpener(survey, project.config.site),
          under: project.destination.under,
        }));
      const { foreign = [], drift = [] } = comparison;
      const unpublished = changesObjects(comparison) - listOverwritten(comparison).length;
      const all = await listSharing(snapshot);
      const view = { ...snapshot.state, ...lookUpIn(all) };
      const objects = isOwn ? all.filter(({ key }) => isOwn(key)) : all;
      // A store elsewhere is asked itself: our own emulation of it would tell nothing of it.
      const asked = input.at ?? (store.address ? new URL(await addressOf(project, store)) : undefined);
      const at = asked && endpointOfBucket(asked, project);
      const rate = input.rate ?? (at && !isOwnMachine(at) ? POLITE_RATE : undefined);
      const outcome = await checkRelease(
        {
          project,
          survey,
          view,
          objects,
          ...(isOwn ? { hosted: all } : {}),
          read: (object, range) => snapshot.read(object, range),
          hasCopies: !store.guarantees.instant,
          unpublished,
          byOthers: { foreign: foreign.filter(({ key }) => isOwn?.(key) ?? true), drift },
          asSurveyed: unpublished === 0,
          withheld: store.guarantees.policyByKey
            ? undefined
            : survey.objects.filter((object) => !object.public),
          newest: createNewest(store, bucket, view),
          ...(findKind(placeOf(project.config, project.destination.store)).isElsewhere
            ? {}
            : { others: await store.buckets() }),
          thread,
        },
        { ...input, at, rate },
        progress,
      );
      if (input.against === undefined || outcome.refused) return outcome;
      const { against: other } = input;
      const here = { view: openView(view), objects };
      const beside = (place: URL): ReturnType<typeof checkAgainst> =>
        checkAgainst(project, { ...here, at: place }, other, { ...input, rate }, progress);
      const against = at
        ? await beside(at)
        : await emulated({ ...here, objects: all }, (object, range) => snapshot.read(object, range), beside);
      return { ...outcome, against, passed: outcome.passed && areAlike(against.differences) };
    } finally {
      await thread?.end();
      await snapshot.close();
    }
  });
}

/** Looks whether something was published meanwhile: the same view as long as nothing was. */
function createNewest(store: Store, bucket: string, first: BucketView): () => Promise<BucketView> {
  let known = first;
  let reading: Promise<BucketView> | undefined;
  const read = async (): Promise<BucketView> => {
    const state = await store.bucket(bucket);
    if (!state || (state.release === known.release && state.access === known.access)) return known;
    const snapshot = await store.open(bucket);
    try {
      return (known = { ...snapshot.state, ...lookUpIn(await listSharing(snapshot)) });
    } finally {
      await snapshot.close();
    }
  };
  return () => (reading ??= read().finally(() => (reading = undefined)));
}

async function openPublished(store: Store, bucket: string): Promise<Snapshot> {
  const snapshot = await store.open(bucket);
  if (snapshot.state.release > 0) return snapshot;
  await snapshot.close();
  throw new FenestraError('NOTHING_PUBLISHED', { bucket });
}

/** A large site has few different headers; each is kept once. */
async function listSharing(snapshot: Snapshot): Promise<StoredObject[]> {
  const known = new Map<string, ObjectHeaders>();
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) {
    // What waits is answered, and no part of the release.
    if (object.waits) continue;
    const text = JSON.stringify(object.headers);
    let headers = known.get(text);
    if (!headers) known.set(text, (headers = object.headers));
    objects.push({ ...object, headers });
  }
  return objects;
}
