/** How often objects have really changed: what the releases that are kept say. */
import { compareObjects, type Change } from '../../core/release/change-list.js';
import type { ChangeHistory } from '../../core/release/change-history.js';
import type { Store } from '../../stores/port.js';
import { compareReleases } from './compare-releases.js';

/** @param most releases back that are looked at @returns undefined where the store keeps none, or there is only one */
export async function readChangeHistory(
  store: Store,
  bucket: string,
  now: number,
  most = 50,
): Promise<ChangeHistory | undefined> {
  if (!store.guarantees.history) return undefined;
  const releases = [...((await store.releases?.(bucket)) ?? [])]
    .sort((a, b) => b.release - a.release)
    .slice(0, most);
  const first = releases.at(-1);
  if (!first || releases.length < 2) return undefined;
  const changes = new Map<string, Set<number>>();
  for (const [n, { release }] of releases.slice(0, -1).entries()) {
    const earlier = releases[n + 1];
    if (!earlier) break;
    for (const { key, change } of await listChanges(store, bucket, earlier.release, release)) {
      if (change !== 'replace' && change !== 'remove') continue;
      const known = changes.get(key) ?? new Set();
      changes.set(key, known.add(release));
    }
  }
  return { releases: releases.length - 1, span: Math.max(0, (now - first.at) / 1000), changes };
}

/** Only what differs is read, where the store can tell: a release has many objects and few changes. */
async function listChanges(
  store: Store,
  bucket: string,
  from: number,
  to: number,
): Promise<readonly Change[]> {
  const differing = await store.differences?.(bucket, from, to);
  if (differing) return (await compareObjects(differing.to, differing.from, undefined, Infinity)).entries;
  const [was, becomes] = [await store.open(bucket, from), await store.open(bucket, to)];
  try {
    return (await compareReleases(store, was, becomes, was.state.objects, Infinity)).entries;
  } finally {
    await was.close();
    await becomes.close();
  }
}
