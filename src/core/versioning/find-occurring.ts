/** What would have no plain name any more, and is named somewhere all the same. */
import { fileName } from '../site/key.js';
import type { NamingInput, SiteNames, Uncertain } from './naming.js';

/** @param known what keeps its plain name already */
export function findOccurring(
  { objects, versionable, search }: NamingInput,
  versioned: SiteNames['versioned'],
  edits: SiteNames['edits'],
  known: readonly Uncertain[],
): Uncertain[] {
  const isKept = new Set(known.map(({ target }) => target));
  const byName = new Map<string, number[]>();
  for (const number of versioned.keys()) {
    const key = objects[number]?.key ?? '';
    if (isKept.has(number) || versionable.keepsPlain(key)) continue;
    const name = fileName(key);
    const others = byName.get(name);
    if (others) others.push(number);
    else byName.set(name, [number]);
  }
  if (byName.size === 0) return [];
  const names = [...byName.keys()];
  const occurring: Uncertain[] = [];
  for (const { name, object, line } of search(names, (number) => edits.get(number) ?? [])) {
    const written = names[name] ?? '';
    for (const target of byName.get(written) ?? [])
      // What a file says of itself asks for nothing.
      if (target !== object) occurring.push({ target, object, line, written, how: 'occurs' });
  }
  return occurring;
}
