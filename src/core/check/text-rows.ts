/**
 * What was read of one text, and apart from it the elements that rules need of a page: others read the same texts
 * without them.
 */
import { readNeeded } from '../reading/page/needed-elements.js';
import { readObject } from '../reading/read-object.js';
import type { NeededElement, ReadingKind } from '../reading/reading.js';
import type { Readings } from '../reading/readings.js';
import { NEEDED_ELEMENTS } from './release-rules.js';

/** Numbers of rows among the readings. */
export interface TextRows {
  readonly row: number;
  /** Absent where no rule needs more of it. */
  readonly needed?: number;
}

const needsElements = (kind: ReadingKind): boolean => kind === 'page' && NEEDED_ELEMENTS.size > 0;
const neededId = (id: string): string => `elements ${[...NEEDED_ELEMENTS].sort().join('|')} ${id}`;

/** @param id names the text @returns undefined where something of it is not known yet */
export function recallText(readings: Readings, kind: ReadingKind, id: string): TextRows | undefined {
  const row = readings.find(id);
  if (row === undefined) return undefined;
  if (!needsElements(kind)) return { row };
  const needed = readings.find(neededId(id));
  return needed === undefined ? undefined : { row, needed };
}

/** Reads what is not known of a text. */
export function addText(readings: Readings, kind: ReadingKind, id: string, text: string): TextRows {
  const row = readings.find(id) ?? readings.add(id, readObject(kind, text));
  if (!needsElements(kind)) return { row };
  const elements = readNeeded(text, NEEDED_ELEMENTS);
  return {
    row,
    needed: readings.find(neededId(id)) ?? readings.add(neededId(id), { kind, references: [], elements }),
  };
}

export const elementsIn = (readings: Readings, row: number, name: string): readonly NeededElement[] =>
  (readings.facts(row).elements ?? []).filter((element) => element.name === name);
