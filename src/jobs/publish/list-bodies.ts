/** The bodies that a comparison needs from the site folder. */
import type { Change } from '../../core/release/change-list.js';
import { compareKeys } from '../../core/site/key.js';
import { openObject } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource } from '../../stores/port.js';
import type { Comparison } from './comparison.js';

/** Can be gone through more than once. */
export function listBodies(
  site: SurveyedSite,
  comparison: Pick<Comparison, 'entries' | 'damage' | 'made'>,
  folder: string,
): Iterable<BodySource> {
  return { [Symbol.iterator]: () => eachBody(site, comparison, folder) };
}

function* eachBody(
  { objects, takenAt }: SurveyedSite,
  { entries, damage, made = [] }: Pick<Comparison, 'entries' | 'damage' | 'made'>,
  folder: string,
): Generator<BodySource> {
  const healed = new Set(damage.heals.map(({ key }) => key));
  const isMade = new Set<string>();
  if (made.length > 0) {
    const goesOut = sentInOrder(entries, healed);
    for (const body of [...made].sort((a, b) => compareKeys(a.object.key, b.object.key))) {
      if (!goesOut(body.object.key)) continue;
      isMade.add(body.object.key);
      yield body;
    }
  }
  const goesOut = sentInOrder(entries, healed);
  for (const object of objects)
    if (goesOut(object.key) && !isMade.has(object.key))
      yield { object, ...openObject(object, folder, takenAt) };
}

/** Tells of keys that are asked for in their order whether they are sent: a first release has very many. */
function sentInOrder(entries: readonly Change[], healed: ReadonlySet<string>): (key: string) => boolean {
  let at = 0;
  return (key) => {
    for (let entry = entries[at]; entry && compareKeys(entry.key, key) < 0; entry = entries[++at]);
    const entry = entries[at];
    return healed.has(key) || (entry?.key === key && isSent(entry));
  };
}

const isSent = ({ change }: Change): boolean => change === 'add' || change === 'replace';
