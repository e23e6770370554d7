/** Taking a bucket down with everything that only it needed. */
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { countOf } from '../../core/words/counts.js';
import type { Store } from '../../stores/port.js';
import { assertBucket } from '../project/open-store.js';
import type { Project } from '../project/open-project.js';
import type { Questions } from '../questions.js';
import { surveyMemory } from '../survey/survey-memory.js';

export interface BucketRemoved {
  readonly objects: number;
  readonly releases: number;
  readonly bodies: number;
  readonly bytes: number;
  /** Files in which the survey remembered the site. */
  readonly memory: number;
}

/** @throws FenestraError BUCKET_MISSING, BUCKET_NOT_EMPTY, CONFIRMATION_…, DECLINED */
export async function removeBucket(
  store: Store,
  name: string,
  withContents: boolean,
  { config, destination }: Project,
  questions: Questions,
): Promise<BucketRemoved> {
  const { objects, bytes } = await countContents(store, name);
  if (objects > 0 && !withContents)
    throw new FenestraError('BUCKET_NOT_EMPTY', { name, objects: countOf(objects, 'object') });
  const releases = (await store.releases?.(name))?.length ?? 0;
  await questions.typeName({ about: 'remove-bucket', bucket: name, objects, bytes, releases });
  const swept = await store.remove(name);
  const memory = name === destination.bucket ? forgetSurveys(surveyMemory(config.folder)) : 0;
  return { objects, releases, bodies: swept.bodies, bytes: swept.bytes, memory };
}

/** Counts by listing where the store does not know. */
async function countContents(store: Store, name: string): Promise<{ objects: number; bytes: number }> {
  const { objects, bytes } = await assertBucket(store, name);
  if (objects !== undefined && bytes !== undefined) return { objects, bytes };
  const snapshot = await store.open(name);
  try {
    const counted = { objects: 0, bytes: 0 };
    for await (const { size } of snapshot.objects()) {
      counted.objects++;
      counted.bytes += size;
    }
    return counted;
  } finally {
    await snapshot.close();
  }
}

function forgetSurveys(folder: string): number {
  let count = 0;
  try {
    for (const file of readdirSync(folder)) {
      rmSync(join(folder, file), { force: true });
      count++;
    }
  } catch {
    // Nothing was remembered.
  }
  return count;
}
