/** What visitors may see together that was never published together, while they hold old copies. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { listStale } from '../../core/release/stale.js';
import type { SeenPages } from '../../core/visiting/seen-requests.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Snapshot } from '../../stores/port.js';
import { readSite } from '../host/read-site.js';
import { readWhole, type ReadObject } from '../host/host-release.js';
import { viewSite } from '../host/view-site.js';
import { withView } from '../trace/found-view.js';
import { recallSeen } from '../visit/seen-file.js';
import { keyOfPath, listLoadedPaths, mayLoad } from './list-loads.js';
import { listSeenPaths } from './list-seen-paths.js';
import type { Prepared } from './prepared.js';

/** Texts that are read to find out; of more only what is held is told. */
const MAX_READ = 2000;

/**
 * By the key of each old copy that may be held: the keys that it may meet and was not made for. Those are new pages and
 * modules that load it, or, where the copy is of a page or module itself, what it loads and is removed.
 */
export async function listMixes(
  prepared: Prepared,
  now: number,
): Promise<ReadonlyMap<string, readonly string[]>> {
  const { comparison, store, project, site } = prepared;
  const { entries, bucket, becomes } = comparison;
  const mixes = new Map<string, Set<string>>();
  const stale = new Map(listStale(entries, now).map((each) => [each.key, each]));
  if (stale.size === 0 || !store || bucket?.access !== 'open' || bucket.release === 0) return new Map();
  const note = (copy: string, other: string): void => {
    const known = mixes.get(copy);
    if (known) known.add(other);
    else mixes.set(copy, new Set([other]));
  };
  const { view: after } = viewSite(site, bucket.name, becomes, now);
  const readNew = readSite(project, site.objects);
  const seen = recallSeen(project);
  let left = MAX_READ;
  const changed = new Set(entries.map(({ key }) => key));
  const isSame = (key: string): boolean => !changed.has(key);
  const loadsAfter = remembering(async (key) => {
    const object = after.find(key);
    return object && left-- > 0
      ? listLoads(object, readNew, (work) => Promise.resolve(work(after)), seen)
      : new Set<string>();
  });
  // What is new and loads something of which an old copy may be held.
  for (const { key, change } of entries) {
    if (change !== 'add' && change !== 'replace') continue;
    for (const loaded of await listReached(key, loadsAfter, isSame))
      if (
        stale.has(loaded) &&
        loaded !== key &&
        !entries.some((each) => each.key === loaded && each.change === 'relabel')
      )
        note(loaded, key);
  }
  const removed = new Set(entries.filter(({ change }) => change === 'remove').map(({ key }) => key));
  if (removed.size === 0) return list(mixes);
  const snapshot = await store.open(bucket.name);
  try {
    const loadsBefore = remembering(async (key) => {
      const object = left-- > 0 ? await snapshot.find(key) : undefined;
      return object
        ? listLoads(object, (each, range) => snapshot.read(each, range), viewOf(snapshot), seen)
        : new Set<string>();
    });
    for (const [key, { until }] of stale) {
      for (const loaded of await listReached(key, loadsBefore, isSame))
        // Who holds the page holds what was loaded with it, as long as that is kept as long.
        if (removed.has(loaded) && loaded !== key && (stale.get(loaded)?.until ?? 0) < until)
          note(key, loaded);
    }
  } finally {
    await snapshot.close();
  }
  return list(mixes);
}

type Loads = (key: string) => Promise<ReadonlySet<string>>;

/** Many pages load the same. */
function remembering(loads: Loads): Loads {
  const known = new Map<string, Promise<ReadonlySet<string>>>();
  return (key) => {
    let found = known.get(key);
    if (!found) known.set(key, (found = loads(key)));
    return found;
  };
}

/** What one loads, also by way of others, as long as those are the same as before: what is not speaks for itself. */
async function listReached(
  key: string,
  loads: Loads,
  isSame: (key: string) => boolean,
): Promise<ReadonlySet<string>> {
  const reached = new Set<string>();
  const queue = [key];
  for (let next = queue.shift(); next !== undefined; next = queue.shift())
    for (const loaded of await loads(next)) {
      if (reached.has(loaded) || loaded === key) continue;
      reached.add(loaded);
      if (isSame(loaded)) queue.push(loaded);
    }
  return reached;
}

const list = (mixes: ReadonlyMap<string, ReadonlySet<string>>): Map<string, readonly string[]> =>
  new Map([...mixes].map(([key, others]) => [key, [...others]]));

type WithView = <T>(work: (view: BucketView) => T) => Promise<T>;

const viewOf =
  (snapshot: Snapshot): WithView =>
  (work) =>
    withView({ state: { ...snapshot.state, access: 'open' }, find: (key) => snapshot.find(key) }, work);

/** The keys of what a page, a style or a module loads of this site. */
async function listLoads(
  object: StoredObject,
  read: ReadObject,
  view: WithView,
  seen: SeenPages,
): Promise<Set<string>> {
  const keys = new Set<string>();
  if (!mayLoad(object)) return keys;
  const named = listLoadedPaths(object, await readWhole(read, object));
  for (const path of [...named, ...(await view((each) => listSeenPaths(object.key, seen, each)))]) {
    const key = await view((each) => keyOfPath(path, each));
    if (key !== undefined) keys.add(key);
  }
  return keys;
}
