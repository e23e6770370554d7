/** Everything that may be asked for by a name that nobody can change for certain. */
import type { LinkReader } from './links.js';
import { NamedObjects } from './named-objects.js';
import type { NamingInput, Uncertain } from './naming.js';
import { renameReference } from './rename-reference.js';

/** @param covered numbers of the objects that get other names */
export function* findUncertain(
  { objects, readings, names, moved }: NamingInput,
  links: LinkReader,
  covered: readonly number[],
): Generator<Uncertain> {
  const keyOf = (number: number): string => objects[number]?.key ?? '';
  const meant = new NamedObjects(covered.map(keyOf));
  for (const [object, { key, row }] of objects.entries()) {
    if (row === undefined) continue;
    for (const { reference, target, isUncertain } of links.links(key, row)) {
      const { raw, at, line } = reference;
      // What is escaped can be written anew as a whole, so its meaning is enough to tell.
      const { escaping: _escaping, ...plain } = reference;
      const from = keyOf(target);
      if (isUncertain || at < 0 || !renameReference({ ...plain, written: raw }, from, from))
        yield { target, object, line, written: raw, how: 'place' };
    }
    const isScript = readings.facts(row).kind === 'script';
    for (const { name, behind, line, at: _at } of names(object))
      for (const at of meant.meantBy({ name, ...(behind === undefined ? {} : { behind }) })) {
        const target = covered[at];
        // What data says of itself asks for nothing.
        if (target === undefined || (target === object && !isScript)) continue;
        const how = behind === undefined ? 'name' : 'pieces';
        yield { target, object, line, how, written: behind === undefined ? name : `${name}…${behind}` };
      }
  }
  // A moved address leads to what it says, whatever that is called.
  for (const [from, to] of [...Object.entries(moved.permanently), ...Object.entries(moved.temporarily)]) {
    const [head = '', tail] = to.split('*');
    for (const at of meant.meantBy(tail === undefined ? { name: head } : { name: head, behind: tail })) {
      const target = covered[at];
      if (target !== undefined)
        yield { target, object: undefined, line: 0, written: `${from}: ${to}`, how: 'moved' };
    }
  }
}
