/** Putting back what somebody else has changed of a bucket, past Fenestra: settings, labels, and objects. */
import { basename } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Change, ChangeTotals } from '../../core/release/change-list.js';
import { listMissing, type ForeignChange } from '../../core/release/foreign.js';
import { DRIFTS, type SettingDrift } from '../../core/release/setting-drift.js';
import { ownPart } from '../../core/site/site-in-subfolder.js';
import { siteObject, type SiteObject } from '../../core/site/site-object.js';
import { openObject } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource, BucketState, Looks, Snapshot, Store } from '../../stores/port.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import type { Comparison } from '../publish/comparison.js';
import { NO_DAMAGE } from '../publish/damage.js';
import { fitSite } from '../publish/fit-site.js';
import { NO_READER_CHANGES } from '../publish/list-readers.js';
import { makeRelease } from '../publish/make-release.js';
import { NOTHING_POSTPONED } from '../publish/postponed.js';
import type { Questions } from '../questions.js';
import { surveyProject } from '../survey/survey-project.js';

/** Objects of which the store is asked one by one, unless all are to be. */
const FEW = 2000;

export interface Mending {
  readonly bucket: BucketState;
  readonly settings: readonly SettingDrift[];
  /** What is put back of objects, in key order. */
  readonly objects: readonly Change[];
  /** What somebody else has put beside the release: it is left as it is. */
  readonly added: readonly ForeignChange[];
  /** Keys whose bytes neither the store nor the site folder has any more. */
  readonly lost: readonly string[];
  /** Objects whose labels were looked at, and how many the release has. */
  readonly looked: number;
  readonly of: number;
  readonly real: Comparison['real'];
  readonly bodies: readonly BodySource[];
}

/** Whether everything is as it was left, but for what others have added. */
export const isWhole = ({ settings, objects, lost }: Mending): boolean =>
  settings.length + objects.length + lost.length === 0;

/**
 * Looks at what the store really has.
 * @param all asks for every object, however many there are
 * @throws FenestraError STORE_CANNOT where nobody else can write, BUCKET_MISSING, NOTHING_PUBLISHED
 */
export async function prepareMending(
  project: Project,
  store: Store,
  name: string,
  all: boolean,
  progress: Progress,
): Promise<Mending> {
  store.tellWaiting?.((text) => progress.remark(text));
  const snapshot = await openAsMade(store, name);
  try {
    const { state } = snapshot;
    if (!snapshot.foreign || !snapshot.settingsDrift || !store.mendSettings)
      throw new FenestraError('NOTHING_TO_MEND', { store: store.name, bucket: name });
    if (state.release === 0) throw new FenestraError('NOTHING_PUBLISHED', { bucket: name });
    const settings = await snapshot.settingsDrift();
    const { of, looked, foreign } = await lookAtAll(snapshot, all, progress);
    const isOwn = ownPart(project.destination.under, state.settings) ?? (() => true);
    const own = foreign.filter(({ key }) => isOwn(key));
    const { changes, missing } = await listChanges(snapshot, own);
    const { bodies, lost } = await findBodies(project, store, snapshot, missing, own, progress);
    const isLost = new Set(lost);
    return {
      bucket: state,
      settings,
      objects: changes.filter(({ key }) => !isLost.has(key)),
      added: own.filter(({ change }) => change === 'added'),
      lost,
      ...{ looked, of, bodies },
      real: { learned: [], ...listMissing(own.filter(({ change }) => change !== 'added')) },
    };
  } finally {
    await snapshot.close();
  }
}

/** The release as it was made, whatever a publish or a mend that was cut short has left of it. */
async function openAsMade(store: Store, name: string): Promise<Snapshot> {
  const now = await store.open(name);
  await now.close();
  return store.open(name, now.state.release);
}

async function lookAtAll(
  snapshot: Snapshot,
  all: boolean,
  progress: Progress,
): Promise<{ readonly of: number; readonly looked: number; readonly foreign: readonly ForeignChange[] }> {
  let of = 0;
  for await (const _object of snapshot.objects()) of++;
  const most = all ? Infinity : FEW;
  let looked = 0;
  progress.step('look', { objects: Math.min(of, most) });
  const looks: Looks = {
    most,
    unchanged: true,
    progress: (done) => progress.advance(0, (looked = done)),
  };
  return { of, foreign: (await snapshot.foreign?.(looks)) ?? [], looked: Math.min(looked, of) };
}

/** What the release has under the keys that somebody else has changed. @returns also whose bytes have to come from elsewhere */
async function listChanges(
  snapshot: Snapshot,
  foreign: readonly ForeignChange[],
): Promise<{ readonly changes: Change[]; readonly missing: SiteObject[] }> {
  const changes: Change[] = [];
  const missing: SiteObject[] = [];
  for (const { key, change, now } of foreign) {
    const stored = change === 'added' ? undefined : await snapshot.find(key);
    // What only waits to be removed is missed by nobody new.
    if (!stored || stored.waits) continue;
    const becomes = siteObject(stored);
    const named = stored.plain === undefined ? {} : { plainKey: stored.plain };
    if (!now) changes.push({ key, change: 'add', ...named, becomes });
    else
      changes.push({
        key,
        change: change === 'relabelled' ? 'relabel' : 'replace',
        ...named,
        was: now,
        becomes,
      });
    if (change !== 'relabelled' && stored.size > 0) missing.push(becomes);
  }
  return { changes, missing };
}

/** Bytes that the store has under other keys are copied there; others come from the site folder, where it still has them. */
async function findBodies(
  project: Project,
  store: Store,
  snapshot: Snapshot,
  missing: readonly SiteObject[],
  foreign: readonly ForeignChange[],
  progress: Progress,
): Promise<{ readonly bodies: BodySource[]; readonly lost: string[] }> {
  if (missing.length === 0) return { bodies: [], lost: [] };
  const site = await surveyProject(project, progress);
  const { pages } = fitSite(site, project.destination.settings, store.guarantees);
  const sources = sourcesOf(site, pages, project.config.site);
  const touched = new Set(foreign.map(({ key }) => key));
  const inStore = new Set<string>();
  for await (const { key, digest } of snapshot.objects()) if (!touched.has(key)) inStore.add(digest);
  const bodies: BodySource[] = [];
  const lost: string[] = [];
  for (const object of missing) {
    const source = sources.get(object.digest);
    if (source) bodies.push({ ...source, object });
    else if (!inStore.has(object.digest)) lost.push(object.key);
  }
  return { bodies, lost };
}

function sourcesOf(
  { objects, takenAt }: SurveyedSite,
  pages: readonly BodySource[],
  folder: string,
): Map<string, BodySource> {
  const sources = new Map<string, BodySource>();
  for (const object of objects)
    sources.set(object.digest, { object, ...openObject(object, folder, takenAt) });
  for (const page of pages) sources.set(page.object.digest, page);
  return sources;
}

/**
 * Asks, puts it back, and looks again.
 * @returns the release that puts objects back; undefined where only settings were others
 * @throws FenestraError MEND_FAILED where something is not as it was to be, and whatever stops it
 */
export async function mendBucket(
  { config }: Project,
  store: Store,
  mending: Mending,
  yes: boolean,
  progress: Progress,
  questions: Questions,
): Promise<number | undefined> {
  const { bucket, settings, objects, bodies } = mending;
  const { name } = bucket;
  if (!yes)
    await questions.agree({
      about: 'mend',
      bucket: name,
      settings: settings.length,
      objects: objects.length,
    });
  // First whatever lets others in.
  if (settings.length > 0) await store.mendSettings?.(name);
  const input = {
    note: 'Put back what somebody else had changed',
    folder: basename(config.folder),
    keep: config.historyDepth,
  };
  const record =
    objects.length === 0
      ? undefined
      : await makeRelease(comparisonOf(mending), bodies, store, name, input, progress);
  await assertMended(store, mending, progress);
  return record?.release;
}

function comparisonOf({ bucket, objects, of, real }: Mending): Comparison {
  const count = (kind: Change['change']): number => objects.filter(({ change }) => change === kind).length;
  const totals: ChangeTotals = {
    ...{ add: count('add'), replace: count('replace'), relabel: count('relabel'), remove: 0 },
    keep: of - objects.length,
    bytes: objects.reduce(
      (sum, { change, becomes }) => sum + (change === 'relabel' ? 0 : (becomes?.size ?? 0)),
      0,
    ),
  };
  return {
    ...{ bucket, held: of, entries: objects, settings: [], becomes: bucket.settings, totals, real },
    toSend: totals.bytes,
    identity: bucket.identity,
    withheld: [],
    damage: NO_DAMAGE,
    readers: NO_READER_CHANGES,
    postponed: NOTHING_POSTPONED,
  };
}

/** @throws FenestraError MEND_FAILED */
async function assertMended(
  store: Store,
  { bucket: { name }, objects }: Mending,
  progress: Progress,
): Promise<void> {
  progress.step('look');
  const snapshot = await store.open(name);
  try {
    const settings = (await snapshot.settingsDrift?.()) ?? [];
    const mended = new Set(objects.map(({ key }) => key));
    // The newest are the ones that were just put.
    const looks: Looks = { most: objects.length + FEW, unchanged: true };
    const foreign = ((await snapshot.foreign?.(looks)) ?? []).filter(({ key }) => mended.has(key));
    const [wrong] = [...settings.map(({ what }) => DRIFTS[what]), ...foreign.map(({ key }) => key)];
    const others = settings.length + foreign.length - 1;
    if (wrong !== undefined)
      throw new FenestraError('MEND_FAILED', {
        bucket: name,
        what: wrong,
        more: others > 0 ? `, and ${others} more` : '',
      });
  } finally {
    await snapshot.close();
  }
}
