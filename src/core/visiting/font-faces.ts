/** `@font-face` rules: what each offers, and the source that a browser would take. */
import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import { rawOf } from '../reading/css-nodes.js';

export interface FontFace {
  readonly family: string;
  /** From and to. */
  readonly weight: readonly [number, number];
  readonly italic: boolean;
  /** From and to, code points. */
  readonly ranges: readonly (readonly [number, number])[];
  /** The first source that a browser can use. */
  readonly url: string;
  readonly media: readonly string[];
}

const USABLE =
  /^(?:woff2|woff2-variations|woff|woff-variations|truetype|truetype-variations|opentype|opentype-variations|collection)$/i;

/** What browsers draw (CSS Fonts, level 4, section 11.1). */
const TECHNOLOGIES = /^(?:features-(?:opentype|aat)|color-(?:colrv0|colrv1|sbix|cbdt)|variations|palettes)$/i;

/** @returns undefined for one that no browser could use */
export function readFace(nodes: readonly CssNode[], media: readonly string[]): FontFace | undefined {
  const values = new Map<string, string>();
  for (const node of nodes)
    if (node.type === 'Declaration') values.set(node.property.toLowerCase(), rawOf(node.value).trim());
  const family = unquote(values.get('font-family') ?? '');
  const url = usableSource(values.get('src') ?? '');
  if (family === '' || url === undefined) return undefined;
  const weights = (values.get('font-weight') ?? '400').split(/\s+/).map(weightOf);
  const ranges = (values.get('unicode-range') ?? '').split(',').flatMap(readRange);
  return {
    family: family.toLowerCase(),
    weight: [weights[0] ?? 400, weights.at(-1) ?? 400],
    italic: /^(?:italic|oblique)/i.test(values.get('font-style') ?? ''),
    ranges: ranges.length > 0 ? ranges : [[0, 0x10ffff]],
    url,
    media,
  };
}

/** Local fonts are taken for absent: what a machine has is not known. */
function usableSource(value: string): string | undefined {
  const tree = parse(value, { context: 'value', positions: false, onParseError: () => undefined });
  if (tree.type !== 'Value') return undefined;
  const nodes = tree.children.toArray();
  for (const [at, node] of nodes.entries()) {
    if (node.type !== 'Url') continue;
    const about = nodes.slice(at + 1, at + 3).filter((each) => each.type === 'Function');
    // What stands behind the comma is of the next source.
    const own = nodes[at + 1]?.type === 'Function' ? about : [];
    const format = own.find(({ name }) => name.toLowerCase() === 'format')?.children.first;
    const wanted = own.find(({ name }) => name.toLowerCase() === 'tech')?.children.toArray() ?? [];
    if (wanted.some((each) => each.type === 'Identifier' && !TECHNOLOGIES.test(each.name))) continue;
    const named =
      format?.type === 'String' ? format.value : format?.type === 'Identifier' ? format.name : undefined;
    if (named === undefined || USABLE.test(named)) return node.value;
  }
  return undefined;
}

/** A weight as a number; `bolder` and `lighter` as what they make of a plain text. */
export function weightOf(text: string): number {
  const word = text.trim().toLowerCase();
  if (word === 'bold' || word === 'bolder') return 700;
  if (word === 'lighter') return 100;
  return /^\d+(?:\.\d+)?$/.test(word) ? Number(word) : 400;
}

export const unquote = (text: string): string =>
  text
    .trim()
    .replace(/^(["'])(.*)\1$/s, '$2')
    .trim();

function readRange(text: string): (readonly [number, number])[] {
  const [, from, to] = /^U\+([0-9a-f?]{1,6})(?:-([0-9a-f]{1,6}))?$/i.exec(text.trim()) ?? [];
  if (from === undefined) return [];
  return [[parseInt(from.replaceAll('?', '0'), 16), parseInt(to ?? from.replaceAll('?', 'f'), 16)]];
}
