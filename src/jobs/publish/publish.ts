/** Publishing a project, in two parts: what would change, to be shown; and carrying it out, once that is agreed on. */
import type { OverForeign } from '../../core/release/foreign.js';
import { basename } from 'node:path';
import type { Baseline } from '../../core/check/baseline.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { pageKey } from '../../core/hosting/folder-copy.js';
import type { Finding, Level } from '../../core/findings/finding.js';
import { bucketMissing } from '../../core/release/bucket-name.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BucketState, Store } from '../../stores/port.js';
import { glanceAtBucket, openStore, openStoreIfThere } from '../project/open-store.js';
import { siteOpener } from './site-opener.js';
import { assertMatch, type Matching } from '../project/matching.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import type { Questions } from '../questions.js';
import { surveyProject } from '../survey/survey-project.js';
import { assertAble } from './fit-site.js';
import { agreeToPublish, decideQuestions } from './agree.js';
import { compareWithBucket, compareWithSame } from './compare-with-bucket.js';
import { changesNothing, changesObjects, assertOwnObjects, type Comparison } from './comparison.js';
import { healBodies, makeRelease } from './make-release.js';
import type { Prepared } from './prepared.js';
import { postponing } from './postponing.js';
import { plainKey } from '../../core/site/site-object.js';
import { listReaderErrors } from '../../core/check/survey-rules.js';
import { listBodies } from './list-bodies.js';

export interface PrepareInput {
  /** Only looks: makes no store and publishes nothing. */
  readonly look: boolean;
  /** What is published in place of the site folder. */
  readonly site?: SurveyedSite | undefined;
  readonly matching?: Matching | undefined;
  /** Overwrites what somebody else has put or removed past Fenestra. */
  readonly overForeign?: OverForeign | undefined;
  /** Whether the store itself has to be asked, even where nothing has changed by all that is known. */
  readonly thorough?: boolean;
}

/** Surveys the site and compares it with the bucket. @throws FenestraError SITE_…, FILE_…, STORE_…, USAGE */
export async function preparePublish(
  project: Project,
  { look, site: given, matching, overForeign, thorough = false }: PrepareInput,
  progress: Progress,
): Promise<Prepared> {
  const site = given ?? (await surveyProject(project, progress));
  const { bucket: name, settings } = project.destination;
  progress.step('compare');
  const same = thorough || matching ? undefined : compareWithSame(site, settings, glanceAtBucket(project));
  if (same) return { project, site, comparison: same, store: undefined, close: async () => undefined };
  const store = look ? await openStoreIfThere(project) : await openStore(project);
  try {
    store?.tellWaiting?.((text) => progress.remark(text));
    // What a store cannot do is said before anything is compared or sent.
    if (store) assertAble(store.name, store.guarantees, site, settings, project.destination.instead);
    const comparison = await compareWithBucket(site, settings, store, name, {
      covers: matching && coversUnder(matching, settings.documents.index, project.destination.under),
      under: project.destination.under,
      overForeign,
      open: siteOpener(site, project.config.site),
      companion: project.destination.instead.private === 'beside',
      postpone: postponing(project),
    });
    if (matching && comparison.totals.keep + changesObjects(comparison) === 0)
      assertMatch(matching, site.objects.map(plainKey), 'the site or the bucket');
    return { project, site, comparison, overForeign, store, close: async () => store?.close() };
  } catch (error) {
    await store?.close();
    throw error;
  }
}

/** Patterns speak of the site's own names, and of the page where it lies at its folder's address too. */
const coversUnder =
  ({ covers }: Matching, index: string, under = '') =>
  (key: string): boolean =>
    covers(pageKey(key.startsWith(under) ? key.slice(under.length) : key, index));

/** How a release is checked before it counts. */
export interface Proving {
  readonly failOn: Level;
  readonly baseline: Baseline | undefined;
}

export interface PublishInput {
  readonly note: string;
  /** Agreed beforehand; what asks for the bucket's name still does. */
  readonly yes: boolean;
  readonly prove?: Proving | undefined;
}

export interface Published {
  /** The bucket as it is now. */
  readonly state: BucketState;
  /** Null where the proof failed and nothing was published. */
  readonly release: number | null;
  readonly proof?: CheckOutcome;
}

/** Asks, sends, proves, publishes. @throws FenestraError whatever stops it; then nothing is published */
export async function carryOut(
  prepared: Prepared,
  input: PublishInput,
  progress: Progress,
  questions: Questions,
): Promise<Published> {
  const { project, site, comparison, store } = prepared;
  if (!store) throw new Error('nothing was prepared that could be carried out');
  const { bucket } = project.destination;
  assertOwnObjects(bucket, comparison, prepared.overForeign);
  if (input.prove && !store.guarantees.staging)
    throw new FenestraError('STORE_CANNOT', { store: store.name, what: 'prove a release first' });
  const folder = basename(project.config.folder);
  const agreement = decideQuestions(
    comparison,
    project.destination,
    await readReaderErrors(site.findings),
    await findOtherProject(comparison, store, bucket, folder),
  );
  await agreeToPublish(agreement, input.yes, questions);
  let proof: CheckOutcome | undefined;
  const { companion: beside } = comparison;
  const keep = project.config.historyDepth;
  // Nobody sees it, so it is there before anything that goes with it.
  if (beside && !changesNothing(beside.comparison))
    await makeRelease(
      beside.comparison,
      listBodies(site, beside.comparison, project.config.site),
      store,
      beside.bucket,
      { note: input.note, folder, keep },
      progress,
    );
  const record = await makeRelease(
    comparison,
    listBodies(site, comparison, project.config.site),
    store,
    bucket,
    {
      note: input.note,
      folder,
      keep,
      ...(input.prove
        ? {
            prove: async (publication) => {
              const { proveRelease } = await import('../serving.js');
              proof = await proveRelease(prepared, store, publication, input.prove, progress);
              return proof.passed;
            },
          }
        : {}),
    },
    progress,
  );
  const state = await store.bucket(bucket);
  if (!state) throw bucketMissing(store.name, bucket, []);
  return { state, release: record?.release ?? null, ...(proof ? { proof } : {}) };
}

/** A site of a few pages may well be changed as a whole. */
const ENOUGH_TO_TELL = 4;

/** The folder of the project that the release is of, where that is another one and nothing of it would stay. */
async function findOtherProject(
  { bucket: state, entries, totals, held }: Comparison,
  store: Store,
  bucket: string,
  folder: string,
): Promise<string | undefined> {
  const stays = held - totals.remove - totals.replace;
  if (
    !state ||
    held < ENOUGH_TO_TELL ||
    stays > 0 ||
    entries.some(({ movedFrom }) => movedFrom !== undefined)
  )
    return undefined;
  const [head] = (await store.releases?.(bucket)) ?? [];
  return head?.folder === undefined || head.folder === folder ? undefined : head.folder;
}

/** Sends what is damaged in the store and whole in the site again; visitors get nothing else than before. */
export async function heal(
  { project, site, comparison, store }: Prepared,
  progress: Progress,
): Promise<void> {
  if (!store || comparison.damage.heals.length === 0) return;
  const bodies = listBodies(site, comparison, project.config.site);
  await healBodies(comparison, bodies, store, project.destination.bucket, progress);
}

/** The rules are loaded where there is an error at all. */
async function readReaderErrors(findings: readonly Finding[]): Promise<readonly Finding[]> {
  if (!findings.some(({ level }) => level === 'error')) return [];
  return listReaderErrors(findings);
}
