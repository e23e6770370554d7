/** Reading every byte that a bucket needs, to see that it is as it was published. */
import { createHash } from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { columns, visible, type Paint } from '../../report/text/paint.js';
import type { BucketState, BucketStore } from '../../stores/port.js';
import type { Terminal } from '../terminal.js';

export interface Verified {
  readonly release: number;
  readonly objects: number;
  /** Kept releases before the current one. */
  readonly earlier: number;
  readonly damaged: readonly { readonly key: string; readonly release: number; readonly reason: string }[];
}

/** Reads every body that the bucket needs, for its current release and for those that it can go back to. */
export async function verifyBucket(
  store: BucketStore,
  { name, release: current }: BucketState,
  objects: readonly StoredObject[],
  terminal: Terminal,
): Promise<Verified> {
  const damaged: { key: string; release: number; reason: string }[] = [];
  const known = new Map<string, string | undefined>();
  const line = terminal.progress('Verifying');
  const verify = async (release: number, all: readonly StoredObject[]): Promise<void> => {
    for (const [at, object] of all.entries()) {
      const { key, digest } = object;
      // What an earlier release shares with a later one was said there.
      if (release < current && known.has(digest)) continue;
      if (!known.has(digest)) known.set(digest, await verifyBody(store, object));
      const reason = known.get(digest);
      if (reason !== undefined) damaged.push({ key, release, reason });
      line.update(at + 1, all.length);
    }
  };
  try {
    await verify(current, objects);
    const earlier = (await store.listReleases(name)).filter(({ release }) => release < current);
    for (const { release } of earlier) await verify(release, await store.listObjectsAt(name, release));
    return { release: current, objects: objects.length, earlier: earlier.length, damaged };
  } finally {
    line.stop();
  }
}

export function formatVerified(
  { release: current, objects, earlier, damaged }: Verified,
  paint: Paint,
): string {
  if (damaged.length === 0) {
    const more =
      earlier > 0
        ? `, and so are those of the ${earlier === 1 ? 'release before' : `${formatCount(earlier)} releases before`}`
        : '';
    return `${paint.good('Whole')}: the bytes of all ${countOf(objects, 'object')} are as they were published${more}.`;
  }
  const rows = damaged.map(({ key, release, reason }) => [
    paint.place(visible(key)),
    `release ${release}`,
    visible(reason),
  ]);
  const cure = damaged.some(({ release }) => release === current)
    ? 'Move the store away and publish again: the site folder is still whole.'
    : `Release ${current}, which visitors get, is whole: only do not go back to those.`;
  return `${paint.bad('Damaged')}: ${countOf(damaged.length, 'object')}\n${columns(rows, [], paint.width)}\n${cure}`;
}

/** What is wrong with an object's stored bytes; undefined when they are as published. */
async function verifyBody(store: BucketStore, object: StoredObject): Promise<string | undefined> {
  if (object.size === 0) return undefined;
  const hash = createHash('sha256');
  let size = 0;
  try {
    for await (const chunk of (await store.openObject(object)) as AsyncIterable<Buffer>) {
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
