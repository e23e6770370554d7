/** How what is about to be published differs from what the config's other destinations in the same store hold. */
import { compareObjects, compareSettings } from '../../core/release/change-list.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Store } from '../../stores/port.js';
import type { Project } from '../project/open-project.js';

export interface OtherDestination {
  readonly name: string;
  readonly bucket: string;
  readonly release: number;
  /** How many objects and settings differ. */
  readonly objects: number;
  readonly settings: number;
}

/** Each other destination that has been published to. */
export async function compareOtherDestinations(
  { config, destination }: Project,
  site: SurveyedSite,
  store: Store,
): Promise<OtherDestination[]> {
  const others: OtherDestination[] = [];
  for (const { name, bucket, store: where } of config.destinations) {
    if (bucket === destination.bucket || where !== destination.store) continue;
    const state = await store.bucket(bucket);
    if (!state || state.release === 0) continue;
    others.push({
      name,
      bucket,
      release: state.release,
      objects: state.identity === site.identity ? 0 : await countDifferences(site, store, bucket),
      settings: compareSettings(state.settings, destination.settings).length,
    });
  }
  return others;
}

async function countDifferences(site: SurveyedSite, store: Store, bucket: string): Promise<number> {
  const snapshot = await store.open(bucket);
  try {
    return (await compareObjects(site.objects, snapshot.objects(), undefined, -Infinity)).entries.length;
  } finally {
    await snapshot.close();
  }
}
