/** Bodies in stages, for a store that shows them one by one: what is sent is read for what it loads. */
import type { BucketSettings, BucketView } from '../../core/hosting/bucket-view.js';
import { decideStages } from '../../core/release/order-of-work.js';
import { siteObject, type SiteObject, type StoredObject } from '../../core/site/site-object.js';
import type { BodySource } from '../../stores/port.js';

/** Larger texts are not read for it: they come with what may load something. */
const MAX_TEXT = 4 * 2 ** 20;

/** @param bodies gone through once for each stage @throws FenestraError FILE_CHANGING, FILE_UNREADABLE */
export async function* orderBodies(
  bodies: Iterable<BodySource>,
  settings: BucketSettings,
): AsyncGenerator<Iterable<BodySource>> {
  const objects: SiteObject[] = [];
  for (const { object } of bodies) objects.push(object);
  const loads = objects.length > 1 ? await readLoads(bodies, objects, settings) : new Map<string, string[]>();
  const { count, of } = decideStages(objects, settings, loads);
  for (let stage = 0; stage < count; stage++) yield inStage(bodies, of, stage);
}

function* inStage(bodies: Iterable<BodySource>, stages: Int32Array, stage: number): Generator<BodySource> {
  let at = 0;
  for (const body of bodies) if (stages[at++] === stage) yield body;
}

async function readLoads(
  bodies: Iterable<BodySource>,
  objects: readonly SiteObject[],
  settings: BucketSettings,
): Promise<Map<string, string[]>> {
  // What reads texts is loaded where some are sent.
  const { keyOfPath, listLoadedPaths, mayLoad } = await import('../texts.js');
  const loads = new Map<string, string[]>();
  let view: BucketView | undefined;
  for (const body of bodies) {
    const { object } = body;
    if (!mayLoad(object) || object.size > MAX_TEXT) continue;
    const paths = listLoadedPaths(object, (await body.read()).bytes);
    if (paths.size === 0) continue;
    view ??= viewOf(objects, settings);
    const keys = new Set<string>();
    for (const path of paths) {
      const key = keyOfPath(path, view);
      if (key !== undefined) keys.add(key);
    }
    if (keys.size > 0) loads.set(object.key, [...keys]);
  }
  return loads;
}

/** Of what is there already nothing has to be waited for. */
function viewOf(objects: readonly SiteObject[], settings: BucketSettings): BucketView {
  const known = new Map(objects.map((object) => [object.key, object]));
  return {
    name: '',
    access: 'open',
    release: 0,
    settings,
    find(key): StoredObject | undefined {
      const object = known.get(key);
      return object && { ...siteObject(object), since: 0 };
    },
  };
}
