/** Proving a release before it counts: the whole check of it while it is staged, where no visitor sees it. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { Baseline } from '../../core/check/baseline.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import type { Level } from '../../core/findings/finding.js';
import { compareKeys } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { planRows } from '../../core/release/release.js';
import type { Publication, Store } from '../../stores/port.js';
import { checkRelease, type CheckInput } from '../check/check-release.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import type { Comparison } from './comparison.js';
import type { Prepared } from './prepared.js';

export interface ProveOptions {
  readonly failOn: Level;
  readonly baseline: Baseline | undefined;
}

const CONCURRENCY = 16;

/** @throws FenestraError BODY_DAMAGED, PORT_IN_USE, … */
export async function proveRelease(
  { project, site, comparison }: Prepared,
  store: Store,
  publication: Publication,
  options: ProveOptions | undefined,
  progress: Progress,
): Promise<CheckOutcome> {
  const { bucket } = project.destination;
  const read = publication.read?.bind(publication);
  if (!read) throw new Error(`${store.name} guarantees staging, and its publications cannot be read`);
  const objects = await stagedObjects(comparison, store, bucket, Date.now());
  const release = (comparison.bucket?.release ?? 0) + 1;
  const view = viewOf(bucket, release, comparison, objects);
  const asSurveyed = comparison.identity !== undefined;
  return prove({ project, survey: site, view, objects, read, asSurveyed }, options, progress);
}

/** Proves the release that is published, where a publish changes nothing. @throws FenestraError BODY_DAMAGED, … */
export async function provePublished(
  project: Project,
  survey: SurveyedSite,
  options: ProveOptions | undefined,
  progress: Progress,
): Promise<CheckOutcome> {
  return withStoreThere(project, async (store) => {
    const snapshot = await store.open(project.destination.bucket);
    try {
      const objects: StoredObject[] = [];
      for await (const object of snapshot.objects()) if (!object.waits) objects.push(object);
      const view: BucketView = { ...snapshot.state, access: 'open', ...lookUpIn(objects) };
      const read = snapshot.read.bind(snapshot);
      return await prove({ project, survey, view, objects, read, asSurveyed: true }, options, progress);
    } finally {
      await snapshot.close();
    }
  });
}

const prove = (
  input: Pick<CheckInput, 'project' | 'survey' | 'view' | 'objects' | 'read' | 'asSurveyed'>,
  options: ProveOptions | undefined,
  progress: Progress,
): Promise<CheckOutcome> =>
  checkRelease(
    { ...input, unpublished: 0, staged: true },
    {
      expect: 'open',
      all: false,
      concurrency: CONCURRENCY,
      failOn: options?.failOn ?? 'error',
      baseline: options?.baseline,
    },
    progress,
  );

/** The objects as they will be, in key order. */
async function stagedObjects(
  { entries, bucket }: Comparison,
  store: Store,
  name: string,
  since: number,
): Promise<readonly StoredObject[]> {
  const staged = new Map<string, StoredObject>();
  const snapshot = bucket ? await store.open(name) : undefined;
  try {
    for await (const object of snapshot?.objects() ?? []) staged.set(object.key, object);
  } finally {
    await snapshot?.close();
  }
  const { put, remove } = planRows(entries);
  for (const object of put) staged.set(object.key, { ...object, since });
  for (const key of remove) staged.delete(key);
  return [...staged.values()].sort((a, b) => compareKeys(a.key, b.key));
}

const viewOf = (
  name: string,
  release: number,
  { becomes }: Comparison,
  objects: readonly StoredObject[],
): BucketView => ({ name, access: 'open', release, settings: becomes, ...lookUpIn(objects) });
