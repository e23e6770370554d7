/** Publishing the state of an earlier release again: what would change, then carrying it out. */
import { basename } from 'node:path';
import { compareObjects, compareSettings } from '../../core/release/change-list.js';
import {
  assertOwn,
  listMissing,
  OVER_NOTHING,
  withForeign,
  type ForeignChange,
  type OverForeign,
} from '../../core/release/foreign.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { ownPart } from '../../core/site/site-in-subfolder.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { BodySource, Snapshot, Store } from '../../stores/port.js';
import { surveyProject } from '../survey/survey-project.js';
import { compareReleases } from '../history/compare-releases.js';
import { assertHistory } from '../history/assert-history.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { agreeToPublish, decideQuestions } from '../publish/agree.js';
import type { Comparison } from '../publish/comparison.js';
import { listReaderChanges } from '../publish/list-readers.js';
import { makeRelease } from '../publish/make-release.js';
import { postponing } from '../publish/postponing.js';
import type { Questions } from '../questions.js';
import { listBodies } from '../publish/list-bodies.js';

export interface Restoring {
  readonly comparison: Comparison;
  /** What is sent again because the store can no longer give it whole. */
  readonly bodies: Iterable<BodySource>;
}

/**
 * @param release the one to go back to
 * @throws FenestraError BUCKET_MISSING, RELEASE_UNKNOWN, STORE_CANNOT, RELEASE_DAMAGED
 */
export async function prepareRestore(
  project: Project,
  store: Store,
  release: number,
  progress: Progress,
  over = OVER_NOTHING,
): Promise<Restoring> {
  const { bucket: name } = project.destination;
  progress.step('compare');
  store.tellWaiting?.((text) => progress.remark(text));
  assertHistory(store, 'go back to an earlier release');
  const now = await store.open(name);
  try {
    const then = await store.open(name, release);
    try {
      const bucket = now.state;
      // Who may read what is decided today, never by going back.
      const isOwn = ownPart(project.destination.under, bucket.settings);
      const becomes = isOwn
        ? bucket.settings
        : { ...then.state.settings, readable: bucket.settings.readable };
      const { heals, bodies } = await readHeals(project, store, then, progress);
      // What waits is seen by a listing alone, and left to it.
      const foreign = (await now.foreign?.()) ?? [];
      const compared =
        foreign.length === 0
          ? isOwn
            ? await compareObjects(then.objects(), now.objects(), ({ key }) => isOwn(key), Date.now())
            : await compareAsLeft(store, now, then)
          : await compareForeign(name, now, then, foreign, over, isOwn);
      const comparison: Comparison = {
        bucket,
        ...compared,
        postponed: await postponing(project)(now, compared.entries, Date.now()),
        settings: compareSettings(bucket.settings, becomes),
        readers: await listReaderChanges({
          store,
          snapshot: now,
          entries: compared.entries,
          becomes,
          under: project.destination.under,
        }),
        becomes,
        // The bodies of every kept release are in the store.
        toSend: 0,
        identity: isOwn ? undefined : then.state.identity,
        withheld: [],
        damage: { heals, lost: [] },
      };
      return { comparison, bodies };
    } finally {
      await then.close();
    }
  } finally {
    await now.close();
  }
}

async function compareAsLeft(
  store: Store,
  now: Snapshot,
  then: Snapshot,
): Promise<Pick<Comparison, 'entries' | 'totals' | 'held'>> {
  // What somebody may still ask for waits on.
  const { waiting: _waiting, ...compared } = await compareReleases(
    store,
    now,
    then,
    now.state.objects,
    Date.now(),
  );
  return compared;
}

/** Where somebody else has changed the bucket it is compared as it lies there. @throws FenestraError FOREIGN_CHANGES */
async function compareForeign(
  bucket: string,
  now: Snapshot,
  then: Snapshot,
  foreign: readonly ForeignChange[],
  over: OverForeign,
  isOwn: (key: string) => boolean = () => true,
): Promise<Pick<Comparison, 'entries' | 'totals' | 'held' | 'foreign' | 'real'>> {
  const meant: ForeignChange[] = [];
  for (const change of foreign.filter(({ key }) => isOwn(key)))
    if (change.change !== 'added' || over.additions(change.key) || (await then.find(change.key)))
      meant.push(change);
  assertOwn(
    bucket,
    meant.filter(({ key }) => !over.covers(key)),
    now.state.release,
  );
  const { waiting: _waiting, ...compared } = await compareObjects(
    then.objects(),
    withForeign(now.objects(), meant),
    ({ key }) => isOwn(key),
    -Infinity,
  );
  return { ...compared, foreign, real: { learned: [], ...listMissing(meant) } };
}

/** What the store can no longer give whole of a release, taken from the site. @throws FenestraError RELEASE_DAMAGED */
async function readHeals(
  project: Project,
  store: Store,
  then: Snapshot,
  progress: Progress,
): Promise<{ readonly heals: readonly SiteObject[]; readonly bodies: Iterable<BodySource> }> {
  const damaged = (await store.damaged?.()) ?? new Set<string>();
  if (damaged.size === 0) return { heals: [], bodies: [] };
  const needed = new Map<string, string>();
  for await (const { key, digest } of then.objects()) if (damaged.has(digest)) needed.set(digest, key);
  if (needed.size === 0) return { heals: [], bodies: [] };
  const site = await surveyProject(project, progress);
  const heals = site.objects.filter(({ digest }) => needed.delete(digest));
  if (needed.size > 0)
    throw new FenestraError('RELEASE_DAMAGED', {
      release: then.state.release,
      keys: nameSome([...needed.values()]),
    });
  const comparison = { entries: [], damage: { heals, lost: [] } };
  return { heals, bodies: listBodies(site, comparison, project.config.site) };
}

const NAMED = 5;

const nameSome = (keys: readonly string[]): string =>
  keys.slice(0, NAMED).join(', ') + (keys.length > NAMED ? ` and ${keys.length - NAMED} more` : '');

/** @throws FenestraError whatever stops it; then nothing is published */
export async function carryOutRestore(
  { config, destination }: Project,
  store: Store,
  { comparison, bodies }: Restoring,
  input: { readonly release: number; readonly note: string; readonly yes: boolean },
  progress: Progress,
  questions: Questions,
): Promise<ReleaseRecord> {
  await agreeToPublish(decideQuestions(comparison, destination, []), input.yes, questions);
  const record = await makeRelease(
    comparison,
    bodies,
    store,
    destination.bucket,
    {
      note: input.note,
      folder: basename(config.folder),
      keep: config.historyDepth,
      restores: input.release,
    },
    progress,
  );
  if (!record) throw new Error('a restore has nothing to prove');
  return record;
}
