/** What lines of `assign` can name of the objects of a site, as sets of objects that are alike. */
import { fileName } from '../site/key.js';
import { hasContentHash } from '../site/names.js';
import { addBit, bothBits, countBits, hasBits, noBits, type Bits } from './bits.js';
import { parsePattern } from './pattern.js';
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

const MAX_TERMS = 1500;
const MAX_PARTS = 100;
const MAX_SHAPES = 20;
/** Media ranges, and the patterns within each: lines of that kind are rare. */
const MAX_RANGES = 60;
const MAX_WITHIN = 300;

/** @param objects few enough that each may be written of by its name */
export function listTerms(objects: readonly TermObject[]): Terms {
  const vocabulary = vocabularyOf(objects.map(({ key }) => key));
  const ranks = new Map<string, number>();
  const byGroup = new Map<string, { readonly patterns: readonly string[]; readonly objects: number[] }>();
  for (const [at, { key, type, mark }] of objects.entries()) {
    const patterns = listPatterns(key, vocabulary).map(({ pattern, rank }) => {
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
  )
    .sort((a, b) => countBits(b.groups) - countBits(a.groups))
    .slice(0, MAX_RANGES);
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

function vocabularyOf(keys: readonly string[]): Vocabulary {
  const folders = new Set(keys.flatMap(foldersOf));
  const parts = keys.flatMap((key) => {
    const name = fileName(key);
    return [startOf(name) ?? '', ...listEndings(name).slice(1)].filter(Boolean);
  });
  const hashes = new Set(keys.filter(hasContentHash).flatMap((key) => listHashShapes(fileName(key))));
  const others = frequent(keys.flatMap((key) => listHashShapes(fileName(key))));
  return {
    folderNames: new Set(frequent([...folders].map((folder) => fileName(folder.slice(0, -1))))),
    parts: new Set(frequent(parts).slice(0, MAX_PARTS)),
    shapes: [...new Set([...hashes, ...others])]
      .slice(0, MAX_SHAPES)
      .map((pattern) => ({ pattern, matches: parsePattern(pattern), isHash: hashes.has(pattern) })),
  };
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
