/** Values that styles give names to (`--x`), and what `var()` makes of them: CSS Custom Properties, level 1. */
import type { Element } from '../reading/page/element.js';

export const isCustom = (property: string): boolean => property.startsWith('--');

/** Computed values by name; one that is not there is invalid. */
export type CustomValues = ReadonlyMap<string, string>;
export const NO_VALUES: CustomValues = new Map();

/** Values may grow by what they name: one that is longer is none, nor is one that nests deeper. */
const [LONGEST, DEEPEST] = [20_000, 32];
/** Names that are made of each other, one after the other. */
const LONGEST_CHAIN = 500;
/** Letters that are gone through for one page: a page made to keep us busy gets no further. */
const MAX_WORK = 20_000_000;
/** What a name costs beside its letters. */
const PER_NAME = 20;

/** What is left of the work that one page is worth. */
export interface Work {
  left: number;
}
export const newWork = (): Work => ({ left: MAX_WORK });

/** Where `var(` begins, what a string or an unquoted address hides, and what opens and closes. */
const PIECE =
  /"(?:[^"\\\n]|\\[^])*"?|'(?:[^'\\\n]|\\[^])*'?|\bvar\(|url\(\s*(?!["'\s])(?:[^)\\]|\\[^])*\)?|[(),]/gi;
const NAMED = /var\(\s*(--[^\s,)]+)/gi;

/** The names that a value uses. */
export const namesIn = (value: string): string[] =>
  value.includes('--') ? [...value.matchAll(NAMED)].map(([, name = '']) => name) : [];

/** @param valueOf what a name stands for @returns undefined where it is invalid at the time of computing */
export function substitute(
  value: string,
  valueOf: (name: string) => string | undefined,
  depth = 0,
): string | undefined {
  if (!/\bvar\(/i.test(value)) return value;
  if (depth > DEEPEST || value.length > LONGEST) return undefined;
  let result = '';
  let from = 0;
  let length = 0;
  for (const found of findUses(value)) {
    const { begin, end, name, fallback } = found;
    const own = valueOf(name);
    const put = own ?? (fallback === undefined ? undefined : substitute(fallback, valueOf, depth + 1));
    if (put === undefined) return undefined;
    length += put.length;
    if (length > LONGEST) return undefined;
    // What is put in stands apart from what is beside it.
    result += `${value.slice(from, begin)} ${put} `;
    from = end;
  }
  return result + value.slice(from);
}

interface Use {
  readonly begin: number;
  readonly end: number;
  readonly name: string;
  readonly fallback: string | undefined;
}

/** The outermost uses; those in fallbacks are found when they are needed. */
function findUses(value: string): Use[] {
  const uses: Use[] = [];
  let open: { begin: number; inside: number; comma: number; depth: number } | undefined;
  let depth = 0;
  for (const { 0: piece, index } of value.matchAll(PIECE)) {
    const isVar = /^var\($/i.test(piece);
    if (isVar || piece === '(') {
      depth++;
      if (isVar && !open) open = { begin: index, inside: index + piece.length, comma: -1, depth };
    } else if (piece === ',') {
      if (open?.depth === depth && open.comma < 0) open.comma = index;
    } else if (piece === ')') {
      if (open?.depth === depth) {
        uses.push(toUse(value, open, index));
        open = undefined;
      }
      depth = Math.max(0, depth - 1);
    }
  }
  // The end of a value closes what is open.
  if (open) uses.push(toUse(value, open, value.length));
  return uses;
}

const toUse = (
  value: string,
  { begin, inside, comma }: { readonly begin: number; readonly inside: number; readonly comma: number },
  end: number,
): Use => ({
  begin,
  end: Math.min(end + 1, value.length),
  name: value.slice(inside, comma < 0 ? end : comma).trim(),
  fallback: comma < 0 ? undefined : value.slice(comma + 1, end).trim(),
});

const KEEPS = /^(?:inherit|unset|revert|revert-layer)$/i;

/** What an element has of them: its own, made of each other, over what it inherits. */
export function computeCustom(
  own: ReadonlyMap<string, string>,
  above: CustomValues,
  work: Work,
): CustomValues {
  if (own.size === 0) return above;
  for (const value of own.values()) work.left -= value.length + PER_NAME;
  work.left -= above.size * PER_NAME;
  if (work.left < 0) return above;
  const values = new Map(above);
  const done = new Map<string, string | undefined>();
  const underWay = new Set<string>();
  const circles = new Set<string>();
  const compute = (name: string): string | undefined => {
    const written = own.get(name);
    if (written === undefined || KEEPS.test(written.trim())) return above.get(name);
    if (done.has(name)) return done.get(name);
    // Whoever is in a circle is invalid, whatever fallbacks it has.
    if (underWay.has(name)) {
      let isIn = false;
      for (const each of underWay) if ((isIn ||= each === name)) circles.add(each);
      return undefined;
    }
    if (underWay.size > LONGEST_CHAIN) return undefined;
    underWay.add(name);
    const value = /^\s*initial\s*$/i.test(written) ? undefined : substitute(written, compute);
    underWay.delete(name);
    work.left -= value?.length ?? 0;
    const result = circles.has(name) ? undefined : value;
    done.set(name, result);
    return result;
  };
  for (const name of own.keys()) {
    const value = compute(name);
    if (value === undefined) values.delete(name);
    else values.set(name, value);
  }
  return values;
}

/** Custom properties that `style` attributes of a page name. */
export function namesInAttributes(elements: readonly Element[]): ReadonlySet<string> {
  const names = new Set<string>();
  for (const { attributes } of elements)
    for (const name of namesIn(attributes.get('style') ?? '')) names.add(name);
  return names;
}
