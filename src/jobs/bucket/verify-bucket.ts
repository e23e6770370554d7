/** Reading every byte that a bucket needs, to see that it is as it was published. */
import { createHash } from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import { formatCount } from '../../core/words/counts.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Snapshot, Store } from '../../stores/port.js';
import type { Progress } from '../progress.js';

export interface Verified {
  readonly release: number;
  readonly objects: number;
  /** Kept releases before the current one. */
  readonly earlier: number;
  readonly damaged: readonly { readonly key: string; readonly release: number; readonly reason: string }[];
}

/** Reads every body that the bucket needs, for its current release and for those that it can go back to. */
export async function verifyBucket(
  store: Store,
  current: Snapshot,
  objects: readonly StoredObject[],
  progress: Progress,
): Promise<Verified> {
  const { name, release: head } = current.state;
  const damaged: { key: string; release: number; reason: string }[] = [];
  const known = new Map<string, string | undefined>();
  const verify = async (
    snapshot: Snapshot,
    release: number,
    all: AsyncIterable<StoredObject> | Iterable<StoredObject>,
  ): Promise<void> => {
    let [bytes, at] = [0, 0];
    for await (const object of all) {
      const { key, digest } = object;
      at++;
      // What an earlier release shares with a later one was said there.
      if (release < head && known.has(digest)) continue;
      if (!known.has(digest)) known.set(digest, await verifyBody(snapshot, object));
      const reason = known.get(digest);
      if (reason !== undefined) damaged.push({ key, release, reason });
      progress.advance((bytes += object.size), at);
    }
  };
  progress.step('verify', {
    objects: objects.length,
    bytes: objects.reduce((sum, { size }) => sum + size, 0),
  });
  await verify(current, head, objects);
  const earlier = ((await store.releases?.(name)) ?? []).filter(({ release }) => release < head);
  for (const { release } of earlier) {
    progress.step('verify');
    const snapshot = await store.open(name, release);
    try {
      await verify(snapshot, release, snapshot.objects());
    } finally {
      await snapshot.close();
    }
  }
  return { release: head, objects: objects.length, earlier: earlier.length, damaged };
}

/** What is wrong with an object's stored bytes; undefined when they are as published. */
async function verifyBody(snapshot: Snapshot, object: StoredObject): Promise<string | undefined> {
  if (object.size === 0) return undefined;
  const hash = createHash('sha256');
  let size = 0;
  try {
    for await (const chunk of snapshot.read(object)) {
      hash.update(chunk);
      size += chunk.length;
    }
  } catch (error) {
    if (error instanceof FenestraError && error.code === 'BODY_DAMAGED')
      return String(error.details['reason']);
    return error instanceof Error ? error.message : String(error);
  }
  if (size !== object.size) return `${formatCount(size)} bytes of ${formatCount(object.size)} are there`;
  return hash.digest('hex') === object.digest
    ? undefined
    : 'its bytes have another digest than was published';
}
