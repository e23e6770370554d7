/**
 * Whether a rewritten text says what it is meant to say: read again, by another reader than the one that found the places,
 * it has the same references in the same order, each under the name that it was to get, and nothing else is other.
 */
import type { Reading } from '../reading/reading.js';
import type { TextEdit } from './rename-reference.js';

/** What is to stand in a text once it is rewritten, by the number of what it takes the place of. */
export interface MeantText {
  /** Addresses of references. */
  readonly references: ReadonlyMap<number, string>;
  /** Names in import maps. */
  readonly mapped: ReadonlyMap<number, string>;
  /** Digests that a page demands. */
  readonly integrity: ReadonlyMap<number, string>;
}

type Said = Pick<Reading, 'references' | 'mapped' | 'integrity' | 'base' | 'fault'>;

/** @returns what is wrong; undefined where nothing is */
export function findRewriteFault(before: Said, after: Said, meant: MeantText): string | undefined {
  if (after.fault && !before.fault) return `it cannot be read any more: ${after.fault.because}`;
  if (after.base !== before.base) return 'its base is another one';
  const [was, is] = [before.references, after.references];
  if (was.length !== is.length) return `it has ${is.length} references, and had ${was.length}`;
  for (const [number, { use, raw }] of was.entries()) {
    const now = is[number];
    const expected = meant.references.get(number) ?? raw;
    if (now?.use !== use || now.raw !== expected)
      return `reference ${number + 1} is ${JSON.stringify(now?.raw)}, not ${JSON.stringify(expected)}`;
  }
  const names = (before.mapped ?? []).map(({ name }, number) => meant.mapped.get(number) ?? name);
  if (
    !isSame(
      names,
      (after.mapped ?? []).map(({ name }) => name),
    )
  )
    return 'its import map has other names';
  const digests = (before.integrity ?? []).map(({ value }, number) => meant.integrity.get(number) ?? value);
  if (
    !isSame(
      digests,
      (after.integrity ?? []).map(({ value }) => value),
    )
  )
    return 'it demands other digests';
  return undefined;
}

const isSame = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((each, at) => each === b[at]);

/** Whether a rewritten text is the old one again once its edits are taken back. @param edits in rising order */
export function isTakenBack(before: string, after: string, edits: readonly TextEdit[]): boolean {
  let [from, shift] = [0, 0];
  for (const { at, length, text } of edits) {
    if (at < from || before.slice(from, at) !== after.slice(from + shift, at + shift)) return false;
    if (!after.startsWith(text, at + shift)) return false;
    from = at + length;
    shift += text.length - length;
  }
  return before.length + shift === after.length && before.slice(from) === after.slice(from + shift);
}
