/** What published objects would be sent with, had the config further rules. */
import type { StoredObject } from '../site/site-object.js';
import { createCascade, type Assignments, type AssignRule } from './cascade.js';
import { essence, isText } from './media-type.js';
import { ASSIGNABLE, PROPERTIES } from './properties.js';

export const addRules = (assignments: Assignments, added: readonly AssignRule[]): Assignments => ({
  ...assignments,
  rules: [...assignments.rules, ...added],
});

/**
 * What the added rules decide is another, and what hangs on that, as a default does on a type; all else stays as it was
 * published.
 * @param added with numbers that no rule of the config has
 * @param under the folder of the bucket that the site lies in, which patterns do not name; '' for the whole bucket
 */
export function createRelabel(
  assignments: Assignments,
  added: readonly AssignRule[],
  under: string,
): (object: StoredObject) => StoredObject {
  const was = createCascade(assignments);
  const becomes = createCascade(addRules(assignments, added));
  const numbers = new Set<number | undefined>(added.map(({ number }) => number));
  return (object) => {
    const { key, plain, headers } = object;
    if (!key.startsWith(under)) return object;
    const type = essence(headers['Content-Type'] ?? '');
    const asked = [(plain ?? key).slice(under.length), isText(type), plain === undefined] as const;
    const [before, decision] = [was.decide(...asked), becomes.decide(...asked)];
    const decided = PROPERTIES.filter(
      (property) =>
        numbers.has(decision.decidedBy[property]?.rule) ||
        ASSIGNABLE[property].headers.some((name) => before.headers[name] !== decision.headers[name]),
    );
    if (decided.length === 0) return object;
    const names = new Set(decided.flatMap((property) => ASSIGNABLE[property].headers as readonly string[]));
    const left = Object.entries(headers).filter(([name]) => !names.has(name));
    const given = Object.entries(decision.headers).filter(([name]) => names.has(name));
    return { ...object, headers: Object.fromEntries([...left, ...given]) };
  };
}
