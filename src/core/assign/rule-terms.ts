/** What lines of `assign` can name of the objects of a site, as sets of objects that are alike. */
import { fileName } from '../site/key.js';
import { addBit, bothBits, hasBits, noBits, type Bits } from './bits.js';
import {
  foldersOf,
  listEndings,
  listHashShapes,
  listPatterns,
  startOf,
  type Vocabulary,
} from './patterns-of-key.js';

/** One that has to come out in some way. */
export interface TermObject {
  readonly key: string;
  /** The essence of its type in the end; '' for none. */
  readonly type: string;
  /** Equal for those that have to come out alike, and do so now. */
  readonly mark: string;
}

/** A pattern, a media range, or both: `to` where `pattern` is there, `type` where `range` is. */
export interface Term {
  readonly pattern?: string;
  readonly range?: string;
  readonly rank: number;
  readonly groups: Bits;
}

export interface Terms {
  /** Patterns alone, ranges alone, then the patterns within each range. */
  readonly kinds: readonly (readonly Term[])[];
  /** The objects of each group, by their places in what was given. */
  readonly groups: readonly (readonly number[])[];
}

/** A site with more odd names than that is described by what they have in common. */
const MAX_NAMED = 400;
const MAX_TERMS = 3000;
const MAX_PARTS = 100;
const MAX_SHAPES = 20;
/** Of patterns within a media range, which are rare. */
const MAX_WITHIN = 300;

/** @param named places of objects whose names are written of, whatever they are */
export function listTerms(objects: readonly TermObject[], named: ReadonlySet<number>): Terms {
  const odd = new Set([...listOdd(objects), ...named]);
  const vocabulary = vocabularyOf(objects, odd);
  const ranks = new Map<string, number>();
  const byGroup = new Map<string, { readonly patterns: readonly string[]; readonly objects: number[] }>();
  for (const [at, { key, type, mark }] of objects.entries()) {
    const patterns = listPatterns(key, odd.has(at), vocabulary).map(({ pattern, rank }) => {
      ranks.set(pattern, rank);
      return pattern;
    });
    const group = `${mark}\u0001${type}\u0001${patterns.join('\u0001')}`;
    const known = byGroup.get(group);
    if (known) known.objects.push(at);
    else byGroup.set(group, { patterns, objects: [at] });
  }
  const list = [...byGroup.values()];
  const size = list.length;
  const sets = new Map<string, Bits>();
  const ranges = new Map<string, Bits>();
  const put = (map: Map<string, Bits>, name: string, group: number): void => {
    const bits = map.get(name) ?? noBits(size);
    addBit(bits, group);
    map.set(name, bits);
  };
  for (const [group, { patterns, objects: places }] of list.entries()) {
    for (const pattern of patterns) put(sets, pattern, group);
    const type = objects[places[0] ?? 0]?.type ?? '';
    if (type === '') continue;
    put(ranges, type, group);
    put(ranges, `${type.split('/')[0] ?? ''}/*`, group);
  }
  const patterns = distinct(
    [...sets].map(([pattern, groups]) => ({ pattern, rank: ranks.get(pattern) ?? 9, groups })),
  ).slice(0, MAX_TERMS);
  const byType = distinct(
    [...ranges].map(([range, groups]) => ({ range, rank: range.endsWith('/*') ? 2 : 3, groups })),
  );
  const known = new Set([...patterns, ...byType].map(({ groups }) => groups.join()));
  const within = byType.map(({ range = '', groups }) =>
    patterns.slice(0, MAX_WITHIN).flatMap(({ pattern = '', rank, groups: own }): Term[] => {
      const both = bothBits(groups, own);
      const mark = both.join();
      if (!hasBits(both) || known.has(mark)) return [];
      return [{ pattern, range, rank: rank + 3, groups: both }];
    }),
  );
  const kinds = [patterns, byType, ...within].filter((kind) => kind.length > 0);
  return { kinds: size === 0 ? [] : kinds, groups: list.map(({ objects: places }) => places) };
}

/** Of several that name the same, the one that people would write; those first. */
function distinct(terms: readonly Term[]): Term[] {
  const known = new Set<string>();
  return [...terms]
    .sort((a, b) => a.rank - b.rank || length(a) - length(b))
    .filter(({ groups }) => {
      const mark = groups.join();
      return !known.has(mark) && known.add(mark);
    });
}
const length = ({ pattern = '', range = '' }: Term): number => pattern.length + range.length;

/** The places of those that are not as most others of their folder and ending. */
function listOdd(objects: readonly TermObject[]): number[] {
  const places = [...objects.keys()];
  if (objects.length <= MAX_NAMED) return places;
  const byHome = new Map<string, Map<string, number[]>>();
  for (const [at, { key, mark }] of objects.entries()) {
    const home = `${key.slice(0, key.lastIndexOf('/') + 1)}*${listEndings(fileName(key))[0] ?? ''}`;
    const marks = byHome.get(home) ?? new Map<string, number[]>();
    const alike = marks.get(mark) ?? [];
    alike.push(at);
    byHome.set(home, marks.set(mark, alike));
  }
  const few = [...byHome.values()].flatMap((marks) =>
    [...marks.values()].sort((a, b) => b.length - a.length).slice(1),
  );
  return few
    .sort((a, b) => a.length - b.length)
    .flat()
    .slice(0, MAX_NAMED);
}

function vocabularyOf(objects: readonly TermObject[], odd: ReadonlySet<number>): Vocabulary {
  const folders = listFolders(objects);
  const names = [...folders].map((folder) => fileName(folder.slice(0, -1)));
  const ownParts = [...odd].flatMap((at) => {
    const name = fileName(objects[at]?.key ?? '');
    return [startOf(name) ?? '', ...listEndings(name).slice(1)].filter(Boolean);
  });
  const shapes = objects.flatMap(({ key }) => listHashShapes(fileName(key)));
  return {
    folders,
    folderNames: new Set(frequent(names)),
    parts: new Set(frequent(ownParts).slice(0, MAX_PARTS)),
    shapes: frequent(shapes).slice(0, MAX_SHAPES),
  };
}

/** The folders in which something is not as most in the folder around them; all of a small site. */
function listFolders(objects: readonly TermObject[]): Set<string> {
  if (objects.length <= MAX_NAMED) return new Set(objects.flatMap(({ key }) => foldersOf(key)));
  const counts = new Map<string, Map<string, number>>();
  const placeOf = (folder: string, key: string): string => `${folder}*${listEndings(fileName(key))[0] ?? ''}`;
  for (const { key, mark } of objects)
    for (const folder of ['', ...foldersOf(key)]) {
      const marks = counts.get(placeOf(folder, key)) ?? new Map<string, number>();
      counts.set(placeOf(folder, key), marks.set(mark, (marks.get(mark) ?? 0) + 1));
    }
  const most = new Map(
    [...counts].map(([place, marks]) => [place, [...marks].reduce((a, b) => (b[1] > a[1] ? b : a))[0]]),
  );
  const found = new Set<string>();
  for (const { key, mark } of objects) {
    let around = '';
    for (const folder of foldersOf(key)) {
      if (most.get(placeOf(around, key)) !== mark) found.add(folder);
      around = folder;
    }
  }
  // What is written of one folder is written of those around it.
  for (const folder of [...found]) for (const each of foldersOf(folder)) found.add(each);
  return found;
}

/** Those that come more than once, the most frequent first. */
function frequent(words: readonly string[]): string[] {
  const counts = new Map<string, number>();
  for (const word of words) counts.set(word, (counts.get(word) ?? 0) + 1);
  return [...counts]
    .filter(([, count]) => count > 1)
    .sort(([, a], [, b]) => b - a)
    .map(([word]) => word);
}
