/** The bodies that a comparison needs from the site folder. */
import { openObject } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource } from '../../stores/port.js';
import type { Comparison } from './comparison.js';

/** Can be gone through more than once. */
export function listBodies(...given: Parameters<typeof eachBody>): Iterable<BodySource> {
  return { [Symbol.iterator]: () => eachBody(...given) };
}

function* eachBody(
  { objects, takenAt }: SurveyedSite,
  { entries, damage, made = [] }: Pick<Comparison, 'entries' | 'damage' | 'made'>,
  folder: string,
): Generator<BodySource> {
  const sent = new Set(
    entries.filter(({ change }) => change === 'add' || change === 'replace').map(({ key }) => key),
  );
  for (const { key } of damage.heals) sent.add(key);
  if (sent.size === 0) return;
  for (const body of made) if (sent.delete(body.object.key)) yield body;
  for (const object of objects) {
    if (sent.has(object.key)) yield { object, ...openObject(object, folder, takenAt) };
  }
}
