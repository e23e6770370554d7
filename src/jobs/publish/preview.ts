/** One publish whole: what was asked for, all that it would do, to be shown, and carrying it out. */
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { bucketMissing } from '../../core/release/bucket-name.js';
import { listFrontHeld, type FrontHeld } from '../../core/release/front-held.js';
import type { ListOfChanges } from '../../core/release/list-of-changes.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { OverForeign } from '../../core/release/foreign.js';
import { listKeptTooLong, withRule, type RuledTooLong } from '../../core/release/kept-too-long.js';
import { listStale } from '../../core/release/stale.js';
import { listWaiting, type Waiting } from '../../core/release/waiting.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BucketState } from '../../stores/port.js';
import type { Matching } from '../project/matching.js';
import type { Project } from '../project/open-project.js';
import { addressOf } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import type { Questions } from '../questions.js';
import { assertAgreed, listChanges } from './agreed-list.js';
import { assertRehearsed, type Rehearsed } from './assert-rehearsed.js';
import { changesNothing } from './comparison.js';
import { listNewNames } from './list-new-names.js';
import { compareOtherDestinations, type OtherDestination } from './other-destinations.js';
import type { Prepared } from './prepared.js';
import { carryOut, heal, preparePublish, type Proving } from './publish.js';

/** What a publish is asked to do, on a command line or by a script. */
export interface PublishRequest {
  /** Publishes nothing. */
  readonly dryRun: boolean;
  /** What is published in place of the site folder. */
  readonly site?: SurveyedSite;
  readonly matching?: Matching | undefined;
  readonly overForeign?: OverForeign | undefined;
  /** The destination at which it was rehearsed. */
  readonly like?: string | undefined;
  /** The change list that was agreed on: its code, or a file. */
  readonly agreed?: string | undefined;
  /** Whether the store itself is to be asked, even where nothing has changed by all that is known. */
  readonly thorough?: boolean;
  readonly note: string;
  /** Agreed beforehand; what asks for the bucket's name still does. */
  readonly yes: boolean;
  readonly prove?: Proving | undefined;
  /** Whether a bucket that is gone was removed by somebody, so that it is not made again. */
  readonly bucketIsThere?: boolean;
}

/** All that a publish would do. */
export interface PublishPreview {
  readonly prepared: Prepared;
  readonly request: PublishRequest;
  /** Where it is as it was published already, nothing else is worked out. */
  readonly changes: boolean;
  /** The public address of the site. */
  readonly address: string;
  /** What it was rehearsed as, where that was asked for. */
  readonly rehearsed?: Rehearsed;
  /** Of a dry run: the changes with the code that stands for them. */
  readonly list?: ListOfChanges;
  /** What visitors may hold of the old release, by key, and what each of it meets. */
  readonly mixes: ReadonlyMap<string, readonly string[]>;
  /** What the front has to be told to forget; undefined where no front keeps a cache. */
  readonly front?: readonly FrontHeld[];
  readonly waiting: readonly Waiting[];
  /** What changes sooner than caches let go of it, and by which rule. */
  readonly keptTooLong?: RuledTooLong;
  readonly others: readonly OtherDestination[];
  /** The release that publishing takes back. */
  readonly takenBack?: ReleaseRecord;
  /** By the key of a text that is replaced: the names in it that the same changes bring. */
  readonly newNames: ReadonlyMap<string, readonly string[]>;
}

/**
 * Surveys, compares and works out what follows of it. Whoever asks for it closes `prepared`.
 * @throws FenestraError whatever stops it, AGREED_OTHERWISE and NOT_REHEARSED among it
 */
export async function previewPublish(
  project: Project,
  request: PublishRequest,
  progress: Progress,
): Promise<PublishPreview> {
  const { dryRun, matching, overForeign, like, agreed } = request;
  const rehearsed = like === undefined ? undefined : await assertRehearsed(project, like);
  const prepared = await preparePublish(
    project,
    {
      look: dryRun,
      site: request.site,
      matching,
      overForeign,
      thorough: request.thorough === true || agreed !== undefined,
    },
    progress,
  );
  try {
    const { comparison, store, site } = prepared;
    const { destination } = project;
    if (agreed !== undefined) assertAgreed(agreed, destination, comparison);
    const address = store ? await addressOf(project, store) : project.address;
    const changes = !changesNothing(comparison);
    const front = listFront(prepared, address);
    const shown = {
      ...{ prepared, request, changes, address, mixes: await readMixes(prepared) },
      ...(rehearsed ? { rehearsed } : {}),
      ...(dryRun && !request.site && (changes || request.thorough)
        ? { list: listChanges(destination, comparison) }
        : {}),
      ...(front ? { front } : {}),
    };
    if (!changes) return { ...shown, waiting: [], others: [], newNames: new Map() };
    const takenBack = await readRestored(prepared);
    const keptTooLong = listTooLong(prepared);
    return {
      ...shown,
      waiting: listWaiting(comparison),
      others: store ? await compareOtherDestinations(project, site, store) : [],
      ...(takenBack ? { takenBack } : {}),
      ...(keptTooLong ? { keptTooLong } : {}),
      newNames: listNewNames(site, comparison.entries),
    };
  } catch (error) {
    await prepared.close();
    throw error;
  }
}

export interface PublishOutcome {
  /** The bucket as it is now; undefined where nothing was changed. */
  readonly state?: BucketState;
  /** The release that was made, or that the bucket is at where nothing changed; null where nothing was published. */
  readonly release: number | null;
  readonly proof?: CheckOutcome;
}

/** Carries out what was shown: asks, sends, proves, publishes. @throws FenestraError whatever stops it */
export async function finishPublish(
  { prepared, request, changes }: PublishPreview,
  progress: Progress,
  questions: Questions,
): Promise<PublishOutcome> {
  const { project, comparison, site, store } = prepared;
  const { destination } = project;
  if (!changes) {
    const release = comparison.bucket?.release ?? 0;
    if (request.dryRun) return { release };
    await heal(prepared, progress);
    if (!request.prove) return { release };
    // What lies there already is proved too.
    const { provePublished } = await import('../serving.js');
    return { release, proof: await provePublished(project, site, request.prove, progress) };
  }
  if (request.dryRun || !store) return { release: null };
  if (request.bucketIsThere && !comparison.bucket)
    throw bucketMissing(destination.store, destination.bucket, []);
  const { note, yes, agreed, prove } = request;
  // What was agreed on needs no further yes.
  return carryOut(prepared, { note, yes: yes || agreed !== undefined, prove }, progress, questions);
}

/** @param what has failed @returns the error of a publish whose proof did not pass: of nothing new, or of what lies there */
export function failedProof(
  { prepared, changes }: PublishPreview,
  { release, state }: PublishOutcome,
  what: string,
): FenestraError {
  const { bucket } = prepared.project.destination;
  return changes
    ? new FenestraError('CHECK_FAILED', { bucket, release: state?.release ?? 0, what })
    : new FenestraError('PUBLISHED_FAILS', { bucket, release: release ?? 0, what });
}

function listFront({ comparison, project }: Prepared, address: string): FrontHeld[] | undefined {
  const { front, settings } = project.destination;
  if (!front?.shared) return undefined;
  // Where nobody could read anything, it holds nothing.
  if (comparison.bucket?.access !== 'open') return [];
  return listFrontHeld(comparison.entries, address, settings.documents.index, Date.now());
}

function listTooLong({ comparison, site }: Prepared): RuledTooLong | undefined {
  // Nobody holds anything of a bucket that nobody could read.
  if (comparison.bucket?.access !== 'open') return undefined;
  const objects = listKeptTooLong(comparison.entries, Date.now());
  return withRule(objects, site.objects, ({ decision }) => decision.decidedBy.cache?.by);
}

/** What reads texts is loaded where an old copy may be held at all. */
async function readMixes(prepared: Prepared): Promise<ReadonlyMap<string, readonly string[]>> {
  const now = Date.now();
  if (changesNothing(prepared.comparison) || listStale(prepared.comparison.entries, now).length === 0)
    return new Map();
  const { listMixes } = await import('../serving.js');
  return listMixes(prepared, now);
}

/** Whether the bucket is where somebody went back to: publishing takes that back. */
async function readRestored({ comparison, store }: Prepared): Promise<ReleaseRecord | undefined> {
  if (!comparison.bucket || !store?.guarantees.history) return undefined;
  const [head] = (await store.releases?.(comparison.bucket.name)) ?? [];
  return head?.restores === undefined ? undefined : head;
}
