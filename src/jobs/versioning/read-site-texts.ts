/** What the texts of the site say, read from the files that are not known yet. */
import { join } from 'node:path';
import { readObject } from '../../core/reading/read-object.js';
import { renamingKind } from '../../core/reading/reading-kind.js';
import type { Readings } from '../../core/reading/readings.js';
import type { Reading, ReadingKind } from '../../core/reading/reading.js';
import { extension } from '../../core/site/key.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { createNameFinder, type NamedFile } from '../../core/reading/names-in-text.js';
import { readPlain } from '../../disk/rewrite.js';
import { readingId } from '../check/remember.js';
import { decodeText } from '../check/read-text.js';
import type { Progress } from '../progress.js';

export interface SiteTexts {
  /** By the number of an object: the row of its reading. */
  readonly rows: ReadonlyMap<number, number>;
  /** Names in a text that are no references. */
  names(object: number): readonly NamedFile[];
}

/** A name and the piece behind it, as a reading keeps them. */
const toReading = (kind: ReadingKind, names: readonly NamedFile[]): Reading => ({
  kind,
  references: names.map(({ name, behind, at, line }) => ({
    use: 'data',
    raw: name,
    line,
    at,
    length: name.length,
    ...(behind === undefined ? {} : { declared: behind }),
  })),
});

/**
 * @param objects under their plain names
 * @param isCovered whether an object gets another name
 * @throws FenestraError FILE_CHANGING, FILE_UNREADABLE
 */
export function readSiteTexts(
  objects: readonly SurveyObject[],
  isCovered: (object: SurveyObject) => boolean,
  folder: string,
  readings: Readings,
  progress: Progress,
): SiteTexts {
  const extensions = [...new Set(objects.filter(isCovered).map(({ key }) => extension(key)))]
    .filter((each) => each !== '')
    .sort();
  const findNames = createNameFinder(extensions);
  const rows = new Map<number, number>();
  const names = new Map<number, number>();
  for (const [number, object] of objects.entries()) {
    const kind = renamingKind(object);
    if (kind === undefined) continue;
    const id = readingId(object, kind);
    const namesId = `names ${extensions.join('|')} ${id}`;
    let text: string | undefined;
    const read = (): string | undefined =>
      (text ??= decodeText(
        object,
        readPlain(join(folder, object.path), object.decision.encoding, object.digest),
      ));
    let row = readings.find(id);
    if (row === undefined) {
      const said = read();
      if (said === undefined) continue;
      row = readings.add(id, readObject(kind, said));
    }
    let namesRow = readings.find(namesId);
    if (namesRow === undefined) {
      const said = read();
      if (said !== undefined)
        namesRow = readings.add(namesId, toReading(kind, findNames(kind, said, readings.reading(row))));
    }
    rows.set(number, row);
    if (namesRow !== undefined) names.set(number, namesRow);
    progress.advance(0, number);
  }
  return {
    rows,
    names(object) {
      const row = names.get(object);
      if (row === undefined) return [];
      const [from, to] = readings.range(row);
      return Array.from({ length: to - from }, (_, n) => {
        const { raw, at, line, declared } = readings.reference(from + n);
        return { name: raw, at, line, ...(declared === undefined ? {} : { behind: declared }) };
      });
    },
  };
}
