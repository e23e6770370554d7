/** Bodies that the store knows to be damaged: those that the site still holds are sent again, the others are named. */
import type { SiteObject } from '../../core/site/site-object.js';
import type { BucketState, Store } from '../../stores/port.js';

export interface LostObject {
  readonly key: string;
  /** The newest release that needs the bytes. */
  readonly release: number;
}

export interface Damage {
  /** One object of the site for each damaged body whose bytes it holds, in key order. */
  readonly heals: readonly SiteObject[];
  /** What the bucket needs and the site does not hold, the newest release first, then in key order. */
  readonly lost: readonly LostObject[];
}

export const NO_DAMAGE: Damage = { heals: [], lost: [] };

/** What is damaged of a bucket, and can be healed with the objects of the site. */
export async function readDamage(
  store: Store | undefined,
  bucket: string,
  state: BucketState | undefined,
  objects: () => Iterable<SiteObject>,
): Promise<Damage> {
  const damaged = new Set((await store?.damaged?.()) ?? []);
  if (!store || !state || damaged.size === 0) return NO_DAMAGE;
  const heals: SiteObject[] = [];
  for (const object of objects()) if (damaged.delete(object.digest)) heals.push(object);
  return { heals, lost: damaged.size === 0 ? [] : await listLost(store, bucket, state.release, damaged) };
}

async function listLost(
  store: Store,
  bucket: string,
  head: number,
  damaged: ReadonlySet<string>,
): Promise<LostObject[]> {
  const releases = (await store.releases?.(bucket))?.map(({ release }) => release) ?? [head];
  const lost: LostObject[] = [];
  const known = new Set<string>();
  for (const release of releases) {
    const snapshot = await store.open(bucket, release);
    try {
      for await (const { key, digest } of snapshot.objects()) {
        const name = JSON.stringify([key, digest]);
        if (!damaged.has(digest) || known.has(name)) continue;
        known.add(name);
        lost.push({ key, release });
      }
    } finally {
      await snapshot.close();
    }
  }
  return lost;
}
