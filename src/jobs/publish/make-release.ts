/** Making a release of a comparison: what it needs is sent, proved where that is asked for, then it counts. */
import { hostname, userInfo } from 'node:os';
import { FenestraError } from '../../core/errors/catalogue.js';
import { planRows, type ReleasePlan, type ReleaseRecord } from '../../core/release/release.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { BodySource, Publication, Store } from '../../stores/port.js';
import { runSteps, type Progress, type Step } from '../progress.js';
import type { Comparison } from './comparison.js';
import { orderBodies } from './order-bodies.js';

export interface ReleaseInput {
  readonly note: string;
  /** What the folder of the project is called. */
  readonly folder?: string;
  /** How many releases the bucket keeps. */
  readonly keep: number;
  readonly restores?: number;
  /** Asked before the release is made, when its bodies can be read; when it answers false, none is made. */
  readonly prove?: (publication: Publication) => Promise<boolean>;
}

interface Work extends ReleaseInput {
  readonly comparison: Comparison;
  /** Each is in the store before the next begins. */
  readonly stages: Iterable<Iterable<BodySource>> | AsyncIterable<Iterable<BodySource>>;
  readonly store: Store;
  readonly bucket: string;
  readonly publication: Publication;
  refused: boolean;
  record: ReleaseRecord | undefined;
}

const STEPS: readonly Step<Work>[] = [
  {
    name: 'send',
    all: ({ comparison: { totals, damage } }) => ({
      bytes: totals.bytes + damage.heals.reduce((sum, { size }) => sum + size, 0),
      objects: totals.add + totals.replace + damage.heals.length,
    }),
    run: send,
  },
  {
    name: 'probe',
    when: ({ prove }) => prove !== undefined,
    async run(work) {
      work.refused = !((await work.prove?.(work.publication)) ?? true);
    },
  },
  {
    name: 'release',
    when: ({ refused }) => !refused,
    async run(work) {
      work.record = await work.publication.commit(Date.now());
    },
  },
];

/** What is left to do once the release is made; failing at it takes nothing back. */
const AFTERWARDS: readonly Step<Work>[] = [
  { name: 'tidy', when: ({ record }) => record !== undefined, run: tidy },
];

/**
 * @returns undefined where `prove` refused
 * @throws FenestraError whatever stops it; then there is no release
 */
export async function makeRelease(
  comparison: Comparison,
  bodies: Iterable<BodySource>,
  store: Store,
  bucket: string,
  input: ReleaseInput,
  progress: Progress,
): Promise<ReleaseRecord | undefined> {
  if (!comparison.bucket) await createUnlessThere(store, bucket);
  const plan = planOf(comparison, input);
  const stages = store.guarantees.instant ? [bodies] : orderBodies(bodies, plan.settings);
  const publication = await store.begin(bucket, plan);
  const work: Work = {
    ...input,
    comparison,
    stages,
    store,
    bucket,
    publication,
    refused: false,
    record: undefined,
  };
  try {
    await runSteps(STEPS, work, progress);
  } finally {
    await publication.abandon();
  }
  await runSteps(AFTERWARDS, work, progress);
  return work.record;
}

/**
 * Sends bodies again that are damaged in the store, where nothing else is to be published: no release is made of it.
 * @throws FenestraError whatever stops it
 */
export async function healBodies(
  comparison: Comparison,
  bodies: Iterable<BodySource>,
  store: Store,
  bucket: string,
  progress: Progress,
): Promise<void> {
  const publication = await store.begin(bucket, planOf(comparison, { note: '' }));
  try {
    progress.step('send', {
      bytes: comparison.damage.heals.reduce((sum, { size }) => sum + size, 0),
      objects: comparison.damage.heals.length,
    });
    await send({ stages: [bodies], publication }, progress);
  } finally {
    await publication.abandon();
  }
}

function planOf(
  comparison: Comparison,
  { note, folder, restores, prove }: Pick<ReleaseInput, 'note' | 'folder' | 'restores' | 'prove'>,
): ReleasePlan {
  const { bucket, becomes, totals, identity, entries, postponed, waiting, real } = comparison;
  const { stay, ...rows } = planRows(entries, postponed.removals, postponed.needed);
  return {
    base: bucket?.release ?? 0,
    bucket,
    by: publisher(),
    ...(folder === undefined ? {} : { folder }),
    note,
    totals,
    settings: becomes,
    ...rows,
    ...(stay.length === 0 ? {} : { stay }),
    ...(waiting === undefined ? {} : { nextDue: firstDue(waiting) }),
    ...(identity === undefined ? {} : { identity }),
    ...(restores === undefined ? {} : { restores }),
    ...(real === undefined ? {} : { real }),
    ...(prove === undefined ? {} : { staged: true }),
  };
}

/** Null where nothing waits. */
const firstDue = (waiting: readonly StoredObject[]): number | null =>
  waiting.length === 0
    ? null
    : waiting.reduce((first, { neededUntil = 0 }) => Math.min(first, neededUntil), Infinity);

async function send(
  { stages, publication }: Pick<Work, 'stages' | 'publication'>,
  progress: Progress,
): Promise<void> {
  let bytes = 0;
  let objects = 0;
  for await (const stage of stages) {
    for (const body of stage) {
      await publication.put(countingPieces(body, (taken) => progress.advance(bytes + taken, objects)));
      bytes += body.object.size;
      objects++;
      if (objects % 64 === 0) progress.advance(bytes, objects);
    }
    await publication.settle();
  }
  progress.advance(bytes, objects);
}

/** A body that tells how much of it has been taken, piece by piece. */
const countingPieces = (body: BodySource, advance: (taken: number) => void): BodySource => ({
  object: body.object,
  path: body.path,
  read: (into) => body.read(into),
  look: () => body.pieces(),
  async *pieces() {
    let taken = 0;
    for await (const piece of body.pieces()) {
      yield piece;
      advance((taken += piece.length));
    }
  },
});

async function tidy({ store, bucket, keep, record }: Work, progress: Progress): Promise<void> {
  try {
    await store.keepReleases?.(bucket, keep);
  } catch (error) {
    // The release is made, whatever becomes of the older ones.
    if (!(error instanceof FenestraError)) throw error;
    const why = error.code === 'STORE_FULL' ? 'The disk is full.' : error.message;
    progress.remark(
      `Release ${record?.release ?? 0} is published; what only older ones needed is still there. ${why}`,
    );
  }
}

/** Somebody may make the bucket at the same moment; whose release it gets is decided when one is made. */
async function createUnlessThere(store: Store, name: string): Promise<void> {
  try {
    await store.create(name, Date.now());
  } catch (error) {
    if (!(error instanceof FenestraError && error.code === 'BUCKET_TAKEN')) throw error;
  }
}

/** Who publishes: user@host. */
export function publisher(): string {
  let user = 'somebody';
  try {
    user = userInfo().username;
  } catch {
    // A user id without a name, as in containers.
  }
  return `${user}@${hostname()}`;
}
