/** What lies in a bucket, and what the publishes of a month write and take away. */
import type { Usage } from '../../core/cost/rate-card.js';
import { MONTH_SECONDS } from '../../core/cost/traffic.js';
import type { Store } from '../../stores/port.js';
import { compareReleases } from '../history/compare-releases.js';
import type { Project } from '../project/open-project.js';
import { listPages } from '../visit/site-addresses.js';

export interface HeldUsage {
  readonly usage: Pick<Usage, 'storage' | 'write' | 'list' | 'left'>;
  /** Paths of its pages. */
  readonly pages: readonly string[];
}

/** @throws FenestraError BUCKET_MISSING */
export async function readHeldUsage(store: Store, { destination }: Project): Promise<HeldUsage> {
  const { bucket } = destination;
  const snapshot = await store.open(bucket);
  try {
    let storage = 0n;
    for await (const { size } of snapshot.objects()) storage += BigInt(size);
    const pages = (await listPages(snapshot.objects(), snapshot.state.settings)).map(({ path }) => path);
    const since = Date.now() - MONTH_SECONDS * 1000;
    const releases = store.guarantees.history ? ((await store.releases?.(bucket)) ?? []) : [];
    const recent = releases.filter(({ at }) => at >= since);
    const written = recent.reduce(
      (sum, { totals }) => sum + totals.add + totals.replace + totals.relabel + totals.remove,
      0,
    );
    const left = await listLeft(store, bucket, since);
    return { usage: { storage, write: BigInt(written), list: BigInt(recent.length), left }, pages };
  } finally {
    await snapshot.close();
  }
}

/** What releases of the last month have taken away or replaced, of those that are kept. */
async function listLeft(store: Store, bucket: string, since: number): Promise<NonNullable<Usage['left']>> {
  if (!store.guarantees.history) return [];
  const releases = [...((await store.releases?.(bucket)) ?? [])].sort((a, b) => a.release - b.release);
  const left: { bytes: bigint; seconds: bigint }[] = [];
  for (const [n, { release, at }] of releases.entries()) {
    const before = releases[n - 1];
    if (!before || at < since) continue;
    const [was, becomes] = [await store.open(bucket, before.release), await store.open(bucket, release)];
    try {
      const { entries } = await compareReleases(store, was, becomes, was.state.objects, Infinity);
      for (const { key, change } of entries) {
        const object = change === 'replace' || change === 'remove' ? await was.find(key) : undefined;
        if (object)
          left.push({
            bytes: BigInt(object.size),
            seconds: BigInt(Math.max(0, Math.floor((at - object.since) / 1000))),
          });
      }
    } finally {
      await was.close();
      await becomes.close();
    }
  }
  return left;
}
