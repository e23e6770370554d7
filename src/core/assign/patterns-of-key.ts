/** The patterns in which somebody would write of a key, from its whole name to everything. */
import { fileName, foldersAbove } from '../site/key.js';
import { escapePattern } from './pattern.js';

/** How far from what people write first: everything, then endings and folders, then both, then names. */
const RANKS = {
  all: 1,
  hash: 2,
  ending: 3,
  folder: 3,
  own: 4,
  within: 5,
  anywhere: 5,
  part: 6,
  name: 6,
  key: 7,
};

interface KeyPattern {
  readonly pattern: string;
  readonly rank: number;
}

/** Blanks at the ends of a pattern are a mistake. */
const literal = (name: string): string => escapePattern(name).replace(/^\s|\s$/g, '[$&]');

const literalPath = (folder: string): string => folder.split('/').map(literal).join('/');

/** The pattern that a key alone matches. */
const patternOfKey = (key: string): string => `${key.includes('/') ? '' : '/'}${literal(key)}`;

/** What of the names of a site may be written of. */
export interface Vocabulary {
  /** Names that folders in several places have. */
  readonly folderNames: ReadonlySet<string>;
  /** The beginnings and ends of names, such as `icon-` or `.min.js`. */
  readonly parts: ReadonlySet<string>;
  /** Patterns of names with a hash, which match as they do. */
  readonly shapes: readonly {
    readonly pattern: string;
    readonly matches: (name: string) => boolean;
    /** Whether what it stands for is surely a hash. */
    readonly isHash: boolean;
  }[];
}

export function listPatterns(key: string, { folderNames, parts, shapes }: Vocabulary): KeyPattern[] {
  const name = fileName(key);
  const home = key.slice(0, key.length - name.length);
  const endings = listEndings(name).filter((ending, at) => at === 0 || parts.has(ending));
  const list: KeyPattern[] = [{ pattern: '**', rank: RANKS.all }];
  const add = (pattern: string, rank: number): void => void list.push({ pattern, rank });
  for (const ending of endings) add(`*${literal(ending)}`, RANKS.ending);
  for (const folder of foldersOf(key)) {
    const path = literalPath(folder);
    add(`${path}**`, RANKS.folder);
    for (const ending of endings) add(`${path}**/*${literal(ending)}`, RANKS.within);
  }
  const own = home === '' ? '/' : literalPath(home);
  add(`${own}*`, RANKS.own);
  for (const ending of endings) add(`${own}*${literal(ending)}`, RANKS.own);
  for (const folder of new Set(key.split('/').slice(0, -1)))
    if (folderNames.has(folder)) add(`**/${literal(folder)}/**`, RANKS.anywhere);
  const start = startOf(name);
  if (start !== undefined && parts.has(start)) {
    add(`${literal(start)}*`, RANKS.part);
    for (const ending of endings)
      if (name.length >= start.length + ending.length)
        add(`${literal(start)}*${literal(ending)}`, RANKS.part);
    add(`${own}${literal(start)}*`, RANKS.part);
  }
  for (const { pattern, matches, isHash } of shapes)
    if (matches(name)) add(pattern, isHash ? RANKS.hash : RANKS.part);
  add(literal(name), RANKS.name);
  add(patternOfKey(key), RANKS.key);
  return list;
}

/** The folders that a key lies in, the outermost first, each with a slash at the end; of a deep one the first. */
export const foldersOf = (key: string): string[] => foldersAbove(key).slice(0, MAX_DEPTH);
const MAX_DEPTH = 20;

/** The endings of a name, the last one first: `.js`, `.min.js`. */
export function listEndings(name: string): string[] {
  const found: string[] = [];
  for (let dot = name.lastIndexOf('.'); dot > 0 && found.length < 3; dot = name.lastIndexOf('.', dot - 1))
    found.push(name.slice(dot));
  return found;
}

/** How a name begins, up to its first sign: `icon-` of `icon-192.png`. */
export const startOf = (name: string): string | undefined => /^[^-_.]{1,60}[-_.]/.exec(name)?.[0];

/** A name with a hash in it, as the shapes that such names have: `*-????????.*` and `*-????????.js`. */
export function listHashShapes(name: string): string[] {
  const [, sign, hash = '', ending = ''] =
    /([-._])([A-Za-z0-9_]{6,64})(\.[A-Za-z0-9]{1,12})$/.exec(name) ?? [];
  if (sign === undefined || !/\d/.test(hash)) return [];
  const shape = `*${sign}${'?'.repeat(hash.length)}`;
  return [`${shape}.*`, `${shape}${ending}`];
}
