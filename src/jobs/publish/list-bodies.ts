/** The bodies that a comparison needs from the site folder. */
import { openObject } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource } from '../../stores/port.js';
import type { Comparison } from './comparison.js';

/** Can be gone through more than once. */
export function listBodies(
  site: SurveyedSite,
  { entries, damage, made = [] }: Pick<Comparison, 'entries' | 'damage' | 'made'>,
  folder: string,
): Iterable<BodySource> {
  const sent = new Set<string>();
  for (const { change, key } of entries) if (change === 'add' || change === 'replace') sent.add(key);
  for (const { key } of damage.heals) sent.add(key);
  return { [Symbol.iterator]: () => eachBody(site, sent, made, folder) };
}

function* eachBody(
  site: SurveyedSite,
  sent: ReadonlySet<string>,
  made: readonly BodySource[],
  folder: string,
): Generator<BodySource> {
  if (sent.size === 0) return;
  const isMade = new Set<string>();
  for (const body of made) {
    if (!sent.has(body.object.key)) continue;
    isMade.add(body.object.key);
    yield body;
  }
  const { objects, takenAt } = site;
  for (const object of objects)
    if (sent.has(object.key) && !isMade.has(object.key))
      yield { object, ...openObject(object, folder, takenAt) };
}
