/** Of a whole site: references that led to an object, and would lead to none or to another one under the new names. */
import { keyToPath } from '../site/key.js';
import type { LinkReader } from './links.js';
import type { Lost, PlainObject, SiteNames } from './naming.js';

interface Names extends Pick<SiteNames, 'versioned' | 'keptPlain'> {
  /** By the number of a text that was rewritten: what its references say then, by their numbers. */
  readonly renamed: ReadonlyMap<number, ReadonlyMap<number, string>>;
}

export function listLost(
  objects: readonly PlainObject[],
  links: Pick<LinkReader, 'links' | 'pathAt'>,
  { versioned, renamed, keptPlain }: Names,
): Lost[] {
  const lost: Lost[] = [];
  for (const [number, { key, row }] of objects.entries()) {
    if (row === undefined) continue;
    for (const { reference, number: at, target } of links.links(key, row)) {
      const name = versioned.get(target);
      const says = renamed.get(number)?.get(at);
      const leads =
        says === undefined
          ? name === undefined || keptPlain.has(target)
          : name !== undefined && links.pathAt(key, row, says) === keyToPath(name);
      if (!leads)
        lost.push({ key, line: reference.line, written: reference.raw, target: objects[target]?.key ?? '' });
    }
  }
  return lost;
}
