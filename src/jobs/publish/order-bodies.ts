/** Bodies in stages, for a store that shows them one by one: what is sent is read for what it loads. */
import type { BucketSettings, BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { stagesOfWork } from '../../core/release/order-of-work.js';
import { compareKeys } from '../../core/site/key.js';
import { siteObject } from '../../core/site/site-object.js';
import type { BodySource } from '../../stores/port.js';

/** Larger texts are not read for it: they come with what may load something. */
const MOST_TEXT = 4 * 2 ** 20;

/** @throws FenestraError FILE_CHANGING, FILE_UNREADABLE */
export async function orderBodies(
  bodies: Iterable<BodySource>,
  settings: BucketSettings,
): Promise<BodySource[][]> {
  const all = [...bodies];
  const loads = all.length > 1 ? await readLoads(all, settings) : new Map<string, Set<string>>();
  return stagesOfWork(all, settings, loads);
}

async function readLoads(
  bodies: readonly BodySource[],
  settings: BucketSettings,
): Promise<Map<string, Set<string>>> {
  // What reads texts is loaded where some are sent.
  const { keyOfPath, listLoadedPaths, mayLoad } = await import('./list-loads.js');
  // Of what is there already nothing has to be waited for.
  const sent = bodies
    .map(({ object }) => ({ ...siteObject(object), since: 0 }))
    .sort((a, b) => compareKeys(a.key, b.key));
  const view: BucketView = { name: '', access: 'open', release: 0, settings, ...lookUpIn(sent) };
  const loads = new Map<string, Set<string>>();
  for (const { object, read } of bodies) {
    const stored = { ...siteObject(object), since: 0 };
    if (!mayLoad(stored) || object.size > MOST_TEXT) continue;
    const { bytes } = await read();
    const keys = new Set<string>();
    for (const path of listLoadedPaths(stored, bytes)) {
      const key = keyOfPath(path, view);
      if (key !== undefined) keys.add(key);
    }
    if (keys.size > 0) loads.set(object.key, keys);
  }
  return loads;
}
