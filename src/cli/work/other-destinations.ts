/** How what is about to be published differs from what the config's other destinations hold. */
import { compareObjects, compareSettings, countChanges } from '../../core/release/change-list.js';
import { countOf } from '../../core/words/counts.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Paint } from '../../report/text/paint.js';
import type { BucketStore } from '../../stores/port.js';
import type { Project } from './project.js';

/** One line for each other destination that has been published to; '' when there is none. */
export async function describeOtherDestinations(
  { config, destination }: Project,
  site: SurveyedSite,
  store: BucketStore,
  paint: Paint,
): Promise<string> {
  const lines: string[] = [];
  for (const other of config.destinations) {
    if (other.bucket === destination.bucket) continue;
    const state = await store.readBucket(other.bucket);
    if (!state || state.release === 0) continue;
    const same = state.identity === site.identity;
    const { add, replace, relabel, remove } = same
      ? { add: 0, replace: 0, relabel: 0, remove: 0 }
      : countChanges(compareObjects(site.objects, store.listObjects(other.bucket)));
    const objects = add + replace + relabel + remove;
    const settings = compareSettings(state.settings, destination.settings).length;
    const what =
      objects + settings === 0
        ? 'holds just this'
        : `differs in ${[objects > 0 ? countOf(objects, 'object') : '', settings > 0 ? countOf(settings, 'setting') : ''].filter(Boolean).join(' and ')}`;
    lines.push(paint.soft(`${other.name} (${other.bucket}, release ${state.release}) ${what}`));
  }
  return lines.length > 0 ? `\n${lines.join('\n')}` : '';
}
