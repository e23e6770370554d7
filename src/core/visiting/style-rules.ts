/** What a style sheet may make a browser load: imports, fonts, and the rules that use pictures or decide what is shown. */
import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import walk from 'css-tree/walker';
import { rawOf, unlessTooDeep } from '../reading/css-nodes.js';
import { readFace, type FontFace } from './font-faces.js';

/** What the rules that are kept decide; everything else of a sheet loads nothing. */
export type Property =
  | 'display'
  | 'background'
  | 'list'
  | 'cursor'
  | 'mask'
  | 'border'
  | 'content'
  | 'family'
  | 'weight'
  | 'slant';

export interface Declaration {
  readonly property: Property;
  readonly value: string;
  readonly important: boolean;
  /** Addresses in the value, as written. */
  readonly urls: readonly string[];
}

export interface Rule {
  readonly selector: string;
  /** Media queries that all must hold. */
  readonly media: readonly string[];
  readonly declarations: readonly Declaration[];
}

export interface Sheet {
  readonly imports: readonly { readonly url: string; readonly media: string }[];
  readonly fonts: readonly FontFace[];
  readonly rules: readonly Rule[];
}

const PROPERTIES: ReadonlyMap<string, readonly Property[]> = new Map(
  Object.entries({
    display: ['display'],
    background: ['background'],
    'background-image': ['background'],
    'list-style': ['list'],
    'list-style-image': ['list'],
    cursor: ['cursor'],
    mask: ['mask'],
    'mask-image': ['mask'],
    '-webkit-mask': ['mask'],
    '-webkit-mask-image': ['mask'],
    'border-image': ['border'],
    'border-image-source': ['border'],
    content: ['content'],
    font: ['family', 'weight', 'slant'],
    'font-family': ['family'],
    'font-weight': ['weight'],
    'font-style': ['slant'],
  } satisfies Record<string, readonly Property[]>),
);

const OPTIONS = {
  parseValue: false,
  parseRulePrelude: false,
  parseAtrulePrelude: false,
  parseCustomProperty: false,
  onParseError: () => undefined,
} as const;

/** Urls of custom properties, by name: where one is used, so are they. */
type Custom = Map<string, readonly string[]>;

/** One that nests too deeply is an empty one. */
export function readSheet(text: string): Sheet {
  return unlessTooDeep(() => readWhole(text), { imports: [], fonts: [], rules: [] });
}

function readWhole(text: string): Sheet {
  const sheet = {
    imports: [] as { url: string; media: string }[],
    fonts: [] as FontFace[],
    rules: [] as Rule[],
  };
  const custom: Custom = new Map();
  const tree = parse(text, { ...OPTIONS, context: 'stylesheet' });
  if (tree.type === 'StyleSheet')
    readBlock(tree.children.toArray(), { sheet, custom, media: [], parent: '' });
  return sheet;
}

const declared = new Map<string, readonly Declaration[]>();
const MAX_DECLARED = 5000;

/** The declarations of a `style` attribute; pages write the same ones again and again. */
export function readDeclarations(text: string): readonly Declaration[] {
  let known = declared.get(text);
  if (!known) {
    if (declared.size >= MAX_DECLARED) declared.clear();
    declared.set(text, (known = unlessTooDeep(() => readInline(text), [])));
  }
  return known;
}

function readInline(text: string): Declaration[] {
  const tree = parse(text, { ...OPTIONS, context: 'declarationList' });
  return tree.type === 'DeclarationList' ? declarationsOf(tree.children.toArray(), new Map()) : [];
}

interface Reading {
  readonly sheet: { imports: { url: string; media: string }[]; fonts: FontFace[]; rules: Rule[] };
  readonly custom: Custom;
  readonly media: readonly string[];
  /** The selector around a nested rule; '' at the top. */
  readonly parent: string;
}

/** Blocks that only say when what is in them holds, and always do here. */
const TRANSPARENT = new Set(['layer', 'container', 'scope']);

function readBlock(nodes: readonly CssNode[], reading: Reading): void {
  const { sheet, custom, media, parent } = reading;
  const declarations = declarationsOf(nodes, custom);
  if (declarations.length > 0 && parent !== '') sheet.rules.push({ selector: parent, media, declarations });
  for (const node of nodes) {
    if (node.type === 'Rule') {
      const own = rawOf(node.prelude);
      const selector = parent === '' ? own : nest(parent, own);
      readBlock(node.block.children.toArray(), { ...reading, parent: selector });
    } else if (node.type === 'Atrule') {
      const name = node.name.toLowerCase();
      const prelude = node.prelude ? rawOf(node.prelude) : '';
      const block = node.block?.children.toArray();
      if (name === 'import') readImport(prelude, reading);
      else if (name === 'font-face' && block) {
        const face = readFace(block, media);
        if (face) sheet.fonts.push(face);
      } else if (!block) continue;
      else if (name === 'media') readBlock(block, { ...reading, media: [...media, prelude] });
      else if (TRANSPARENT.has(name) || (name === 'supports' && !/^\s*not\b/i.test(prelude)))
        readBlock(block, reading);
    }
  }
}

/** Rules that nest name their parents again and again: what grows beyond this matches nothing. */
const LONGEST_SELECTOR = 10_000;

function nest(parent: string, own: string): string {
  const times = own.split('&').length - 1;
  if (own.length + parent.length * Math.max(1, times) > LONGEST_SELECTOR) return ':not(*)';
  return times > 0 ? own.replaceAll('&', `:is(${parent})`) : `:is(${parent}) ${own}`;
}

function declarationsOf(nodes: readonly CssNode[], custom: Custom): Declaration[] {
  const declarations: Declaration[] = [];
  for (const node of nodes) {
    if (node.type !== 'Declaration') continue;
    const value = rawOf(node.value);
    if (node.property.startsWith('--')) {
      custom.set(node.property, urlsOf(value, custom));
      continue;
    }
    const properties = PROPERTIES.get(node.property.toLowerCase());
    if (!properties) continue;
    const urls = urlsOf(value, custom);
    for (const property of properties)
      declarations.push({ property, value, important: node.important !== false, urls });
  }
  return declarations;
}

/** Addresses that a value names, those of custom properties among them; of an image set the one for plain screens. */
export function urlsOf(value: string, custom: ReadonlyMap<string, readonly string[]> = new Map()): string[] {
  if (!/url\(|image-set\(|var\(/i.test(value)) return [];
  return unlessTooDeep(() => readUrls(value, custom), []);
}

function readUrls(value: string, custom: ReadonlyMap<string, readonly string[]>): string[] {
  const tree = parse(value, { context: 'value', positions: false, onParseError: () => undefined });
  const urls: string[] = [];
  walk(tree, {
    enter(node: CssNode) {
      if (node.type === 'Url') urls.push(node.value);
      if (node.type !== 'Function') return undefined;
      const name = node.name.toLowerCase();
      if (name === 'var')
        node.children.forEach((each) => {
          if (each.type === 'Identifier') urls.push(...(custom.get(each.name) ?? []));
        });
      if (!/^(?:-webkit-)?image-set$/.test(name)) return undefined;
      const chosen = chooseOfSet(node.children.toArray());
      if (chosen !== undefined) urls.push(chosen);
      return walk.skip;
    },
  });
  return urls.filter((url) => url !== '');
}

/** The candidate of an `image-set()` that is sharp enough for one pixel a pixel, else the sharpest. */
function chooseOfSet(nodes: readonly CssNode[]): string | undefined {
  let best: { url: string; density: number } | undefined;
  let url: string | undefined;
  let density = 1;
  const take = (): void => {
    if (url === undefined) return;
    const closer =
      !best || (best.density < 1 ? density > best.density : density >= 1 && density < best.density);
    if (closer) best = { url, density };
    [url, density] = [undefined, 1];
  };
  for (const node of nodes) {
    if (node.type === 'Operator') take();
    else if (node.type === 'Url' || node.type === 'String') url = node.value;
    else if (node.type === 'Dimension' && /^(?:x|dppx)$/i.test(node.unit)) density = Number(node.value);
  }
  take();
  return best?.url;
}

/** An address at the beginning, as a string or a `url()`; what it is written in is parsed by itself. */
const IMPORTED =
  /^\s*(?:"(?:[^"\\]|\\[^])*"|'(?:[^'\\]|\\[^])*'|url\((?:\s*"(?:[^"\\]|\\[^])*"\s*|\s*'(?:[^'\\]|\\[^])*'\s*|(?:[^)"'\\]|\\[^])*)\))/i;

function readImport(prelude: string, { sheet, media }: Reading): void {
  const [written] = IMPORTED.exec(prelude) ?? [];
  if (written === undefined) return;
  const tree = parse(written, { context: 'value', positions: false, onParseError: () => undefined });
  const first = tree.type === 'Value' ? tree.children.first : undefined;
  if (!first || (first.type !== 'Url' && first.type !== 'String') || first.value === '') return;
  const behindLayer = withoutFunction(prelude.slice(written.length).trim(), 'layer').rest.replace(
    /^layer(?:\s+|$)/i,
    '',
  );
  const { inside, rest } = withoutFunction(behindLayer, 'supports');
  // A browser asks for it unless it would surely understand nothing of it.
  if (/^\s*not\b/i.test(inside)) return;
  sheet.imports.push({ url: first.value, media: [...media, rest].join(' and ') });
}

/** Takes a function off the beginning of a text, with all the parentheses in it. */
function withoutFunction(text: string, name: string): { readonly inside: string; readonly rest: string } {
  if (!text.toLowerCase().startsWith(`${name}(`)) return { inside: '', rest: text };
  const from = name.length + 1;
  let open = 1;
  let at = from;
  for (; at < text.length && open > 0; at++) {
    if (text[at] === '(') open++;
    else if (text[at] === ')') open--;
  }
  return { inside: text.slice(from, open === 0 ? at - 1 : at), rest: text.slice(at).trim() };
}
