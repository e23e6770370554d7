/** Letting go of what is beside a bucket for releases that are kept no longer, and of whole containers. */
import pMap from 'p-map';
import type { Removed } from '../port.js';
import type { SwiftClient } from './client.js';
import { dropFromLedger, readReleases, readRows } from './ledger.js';
import { listNames } from './listing.js';
import { BODIES, bodyName, containerPath, ledgerOf, objectPath, releaseName, SEGMENTS } from './names.js';

const SIDE_BY_SIDE = 8;
/** How often a container is emptied anew whose listing comes late. */
const MAX_ROUNDS = 5;

export interface Pruned {
  /** The newest. */
  readonly release: number;
  /** Where its rows are. */
  readonly rows: string | undefined;
  /** How many are kept. */
  readonly keep: number;
}

/** Drops releases beyond those that are kept, and the bodies that only they needed. */
export async function pruneReleases(
  client: SwiftClient,
  bucket: string,
  { release, rows: current, keep }: Pruned,
): Promise<Removed> {
  const all = await readReleases(client, bucket);
  const due = all.filter(({ record }) => record.release <= release - keep);
  if (due.length === 0) return { bodies: 0, bytes: 0 };
  for (const { record, rows } of due) {
    await dropFromLedger(client, bucket, releaseName(record.release));
    await dropFromLedger(client, bucket, rows);
  }
  const published = new Set<string>();
  for (const { digest } of (await readRows(client, bucket, current)).values()) published.add(digest);
  const needed = new Set<string>();
  for (const { record, rows } of all)
    if (record.release > release - keep)
      for (const { digest } of (await readRows(client, bucket, rows)).values()) needed.add(digest);
  let removed: Removed = { bodies: 0, bytes: 0 };
  for await (const { name, bytes } of listNames(client, ledgerOf(bucket), BODIES)) {
    const digest = name.slice(BODIES.length);
    if (needed.has(digest) && !published.has(digest)) continue;
    await dropFromLedger(client, bucket, bodyName(digest));
    removed = { bodies: removed.bodies + 1, bytes: removed.bytes + bytes };
  }
  for await (const { name, bytes } of listNames(client, bucket, SEGMENTS)) {
    const digest = name.slice(SEGMENTS.length, name.indexOf('/', SEGMENTS.length));
    if (needed.has(digest) || published.has(digest)) continue;
    await client.done({ method: 'DELETE', path: objectPath(bucket, name), expect: [404] });
    removed = { bodies: removed.bodies, bytes: removed.bytes + bytes };
  }
  return removed;
}

/** Empties a container and removes it. */
export async function removeContainer(client: SwiftClient, container: string): Promise<Removed> {
  let [bodies, bytes] = [0, 0];
  for (let round = 1; ; round++) {
    const names: string[] = [];
    for await (const { name, bytes: size } of listNames(client, container)) {
      names.push(name);
      bytes += size;
    }
    bodies += names.length;
    await pMap(
      names,
      (name) => client.done({ method: 'DELETE', path: objectPath(container, name), expect: [404] }),
      { concurrency: SIDE_BY_SIDE },
    );
    const { status } = await client.done({
      method: 'DELETE',
      path: containerPath(container),
      expect: round < MAX_ROUNDS ? [404, 409] : [404],
    });
    if (status !== 409) return { bodies, bytes };
  }
}
