/** One bucket with what it holds. */
import type { StoredObject } from '../../core/site/site-object.js';
import type { BucketState, Store } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import { verifyBucket, type Verified } from './verify-bucket.js';

export interface BucketDetails {
  /** With its counts, which a listing has told where the store itself could not. */
  readonly state: BucketState & { readonly objects: number; readonly bytes: number };
  /** With what waits to be removed. */
  readonly objects: readonly StoredObject[];
  readonly verified?: Verified;
}

/** @param verify reads every byte too @throws FenestraError BUCKET_MISSING */
export async function showBucket(
  store: Store,
  name: string,
  verify: boolean,
  progress: Progress,
): Promise<BucketDetails> {
  const snapshot = await store.open(name);
  try {
    const objects: StoredObject[] = [];
    for await (const object of snapshot.objects()) objects.push(object);
    const own = objects.filter(({ waits }) => !waits);
    const bytes = own.reduce((sum, { size }) => sum + size, 0);
    const state = { ...snapshot.state, objects: own.length, bytes };
    return verify
      ? { state, objects, verified: await verifyBucket(store, snapshot, objects, progress) }
      : { state, objects };
  } finally {
    await snapshot.close();
  }
}
