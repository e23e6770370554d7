/** What a style sheet may make a browser load: imports, fonts, and the rules that use pictures or decide what is shown. */
import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import { rawOf, unlessTooDeep } from '../reading/css-nodes.js';
import { isCustom, namesIn } from './custom-values.js';
import { BOX_PROPERTIES } from './box-properties.js';
import { readFace, type FontFace } from './font-faces.js';
import { LOADS_NOTHING, PROPERTIES, type Property, type PropertyTable } from './style-properties.js';
import { urlsOf } from './style-urls.js';

export interface Declaration {
  readonly property: Property;
  readonly value: string;
  readonly important: boolean;
  /** Addresses in the value, as written; those that its names stand for are not among them. */
  readonly urls: readonly string[];
  /** Custom properties that it names. */
  readonly names: readonly string[];
}

/** Layers from the outermost in; names that begin with a blank are those of layers without one. */
export type LayerPath = readonly string[];

export interface Rule {
  readonly selector: string;
  /** Media queries that all must hold. */
  readonly media: readonly string[];
  readonly layer: LayerPath;
  readonly declarations: readonly Declaration[];
}

/** A name that is registered with a value of its own (`@property`). */
export interface Registered {
  readonly name: string;
  readonly inherits: boolean;
  readonly initial: string | undefined;
}

export interface Sheet {
  readonly imports: readonly {
    readonly url: string;
    readonly media: string;
    readonly layer: LayerPath;
  }[];
  /** Layers that are named before the imports. */
  readonly early: readonly LayerPath[];
  /** Layers in the order in which they are met. */
  readonly layers: readonly LayerPath[];
  readonly fonts: readonly FontFace[];
  readonly registered: readonly Registered[];
  readonly rules: readonly Rule[];
  /** What may load something in a way that is not known here. */
  readonly others: readonly string[];
  /** Whether any value in it names an address, be it for want of another. */
  readonly mayUsePictures: boolean;
  /** The same with what decides how high boxes are, and with nothing else. */
  boxes(): Sheet;
}

const OPTIONS = {
  parseValue: false,
  parseRulePrelude: false,
  parseAtrulePrelude: false,
  parseCustomProperty: false,
  onParseError: () => undefined,
} as const;

export const EMPTY_SHEET: Sheet = {
  imports: [],
  early: [],
  layers: [],
  fonts: [],
  registered: [],
  rules: [],
  others: [],
  mayUsePictures: false,
  boxes: () => EMPTY_SHEET,
};

/** One that nests too deeply is an empty one. */
export function readSheet(text: string): Sheet {
  let boxes: Sheet | undefined;
  const sheet = unlessTooDeep(() => readWhole(text, PROPERTIES), EMPTY_SHEET);
  const readBoxes = (): Sheet => unlessTooDeep(() => readWhole(text, BOX_PROPERTIES), EMPTY_SHEET);
  return { ...sheet, boxes: () => (boxes ??= readBoxes()) };
}

function readWhole(text: string, table: PropertyTable): Sheet {
  const sheet: MutableSheet = {
    imports: [],
    early: [],
    layers: [],
    fonts: [],
    registered: [],
    rules: [],
    others: [],
  };
  const tree = parse(text, { ...OPTIONS, context: 'stylesheet' });
  if (tree.type === 'StyleSheet')
    readBlock(tree.children.toArray(), { table, sheet, media: [], layer: [], parent: '', isTop: true });
  return { ...sheet, mayUsePictures: mayUsePictures(sheet), boxes: EMPTY_SHEET.boxes };
}

const mayUsePictures = ({ rules, registered }: MutableSheet): boolean =>
  registered.some(({ initial }) => NAMES_ONE.test(initial ?? '')) ||
  rules.some(({ declarations }) =>
    declarations.some(
      ({ urls, names, value }) => urls.length > 0 || (names.length > 0 && NAMES_ONE.test(value)),
    ),
  );

const NAMES_ONE = /url\(|image-set\(/i;

const declared = {
  styles: new Map<string, readonly Declaration[]>(),
  boxes: new Map<string, readonly Declaration[]>(),
};
const MAX_DECLARED = 5000;

/** The declarations of a `style` attribute; pages write the same ones again and again. */
export function readDeclarations(text: string, of: keyof typeof declared): readonly Declaration[] {
  const all = declared[of];
  let known = all.get(text);
  if (!known) {
    if (all.size >= MAX_DECLARED) all.clear();
    const table = of === 'boxes' ? BOX_PROPERTIES : PROPERTIES;
    all.set(text, (known = unlessTooDeep(() => readInline(text, table), [])));
  }
  return known;
}

function readInline(text: string, table: PropertyTable): Declaration[] {
  const tree = parse(text, { ...OPTIONS, context: 'declarationList' });
  return tree.type === 'DeclarationList' ? declarationsOf(tree.children.toArray(), table) : [];
}

type Lists = Omit<Sheet, 'boxes' | 'mayUsePictures'>;
type MutableSheet = { [K in keyof Lists]: Lists[K][number][] };

interface Reading {
  readonly table: PropertyTable;
  readonly sheet: MutableSheet;
  readonly media: readonly string[];
  readonly layer: LayerPath;
  /** Whether nothing is around it. */
  readonly isTop: boolean;
  /** The selector around a nested rule; '' at the top. */
  readonly parent: string;
}

/** Blocks that only say when what is in them holds, and always do here. */
const TRANSPARENT = new Set(['container', 'scope']);
/** Blocks that may stand before an import. */
const BEFORE_IMPORTS = new Set(['import', 'charset', 'layer']);

function readBlock(nodes: readonly CssNode[], reading: Reading): void {
  const { sheet, media, parent, layer } = reading;
  const declarations = declarationsOf(nodes, reading.table);
  if (reading.table === PROPERTIES) sheet.others.push(...listOthers(nodes));
  if (declarations.length > 0 && parent !== '')
    sheet.rules.push({ selector: parent, media, layer, declarations });
  let mayImport = reading.isTop;
  const within = { ...reading, isTop: false };
  for (const node of nodes) {
    if (node.type === 'Rule') {
      mayImport = false;
      const own = rawOf(node.prelude);
      const selector = parent === '' ? own : nest(parent, own);
      readBlock(node.block.children.toArray(), { ...within, parent: selector });
    } else if (node.type === 'Atrule') {
      const name = node.name.toLowerCase();
      const prelude = node.prelude ? rawOf(node.prelude) : '';
      const block = node.block?.children.toArray();
      if (!BEFORE_IMPORTS.has(name) || (name === 'layer' && block)) mayImport = false;
      if (name === 'import') {
        // One that comes later is none.
        if (mayImport) readImport(prelude, reading);
      } else if (name === 'layer') readLayer(prelude, block, within, mayImport);
      else if (name === 'font-face' && block) {
        const face = readFace(block, media);
        if (face) sheet.fonts.push(face);
      } else if (name === 'property' && block) {
        const of = new Map(
          block.flatMap((each) =>
            each.type === 'Declaration'
              ? [[each.property.toLowerCase(), rawOf(each.value).trim()] as const]
              : [],
          ),
        );
        sheet.registered.push({
          name: prelude.trim(),
          inherits: of.get('inherits') !== 'false',
          initial: of.get('initial-value'),
        });
      } else if (!block) continue;
      else if (name === 'media') readBlock(block, { ...within, media: [...media, prelude] });
      else if (TRANSPARENT.has(name) || (name === 'supports' && !/^\s*not\b/i.test(prelude)))
        readBlock(block, within);
    }
  }
}

/** A layer with its block, or names of layers that only say in which order they count. */
function readLayer(
  prelude: string,
  block: readonly CssNode[] | undefined,
  reading: Reading,
  isEarly: boolean,
): void {
  const { sheet, layer } = reading;
  const named = prelude
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
    .map((each) => [...layer, ...each.split('.')]);
  const paths = named.length > 0 ? named : [[...layer, namelessLayer(sheet)]];
  sheet.layers.push(...paths);
  if (isEarly) sheet.early.push(...paths);
  const [own] = paths;
  if (block && own) readBlock(block, { ...reading, layer: own });
}

/** Nobody else can mean it. */
const namelessLayer = ({ layers, imports }: MutableSheet): string => ` ${layers.length}.${imports.length}`;

/** Rules that nest name their parents again and again: what grows beyond this matches nothing. */
const LONGEST_SELECTOR = 10_000;

function nest(parent: string, own: string): string {
  const times = own.split('&').length - 1;
  if (own.length + parent.length * Math.max(1, times) > LONGEST_SELECTOR) return ':not(*)';
  return times > 0 ? own.replaceAll('&', `:is(${parent})`) : `:is(${parent}) ${own}`;
}

/** Declarations that name an address in a property that is not known here. */
const listOthers = (nodes: readonly CssNode[]): string[] =>
  nodes.flatMap((node) => {
    if (node.type !== 'Declaration' || isCustom(node.property)) return [];
    const name = node.property.toLowerCase();
    if (PROPERTIES.has(name) || LOADS_NOTHING.test(name)) return [];
    return urlsOf(rawOf(node.value)).length > 0 ? [`the property \`${name}\``] : [];
  });

function declarationsOf(nodes: readonly CssNode[], table: PropertyTable): Declaration[] {
  const declarations: Declaration[] = [];
  for (const node of nodes) {
    if (node.type !== 'Declaration') continue;
    const value = rawOf(node.value);
    const properties = isCustom(node.property)
      ? [node.property as `--${string}`]
      : table.get(node.property.toLowerCase());
    if (!properties) continue;
    const [urls, names] = [urlsOf(value), namesIn(value)];
    for (const property of properties)
      declarations.push({ property, value, important: node.important !== false, urls, names });
  }
  return declarations;
}

/** An address at the beginning, as a string or a `url()`; what it is written in is parsed by itself. */
const IMPORTED =
  /^\s*(?:"(?:[^"\\]|\\[^])*"|'(?:[^'\\]|\\[^])*'|url\((?:\s*"(?:[^"\\]|\\[^])*"\s*|\s*'(?:[^'\\]|\\[^])*'\s*|(?:[^)"'\\]|\\[^])*)\))/i;

function readImport(prelude: string, { sheet, media, layer }: Reading): void {
  const [written] = IMPORTED.exec(prelude) ?? [];
  if (written === undefined) return;
  const tree = parse(written, { context: 'value', positions: false, onParseError: () => undefined });
  const first = tree.type === 'Value' ? tree.children.first : undefined;
  if (!first || (first.type !== 'Url' && first.type !== 'String') || first.value === '') return;
  const behind = prelude.slice(written.length).trim();
  const named = withoutFunction(behind, 'layer');
  const behindLayer = named.rest.replace(/^layer(?:\s+|$)/i, '');
  const isNameless = behindLayer !== named.rest;
  const own = named.inside !== '' ? named.inside.trim().split('.') : isNameless ? [namelessLayer(sheet)] : [];
  const { inside, rest } = withoutFunction(behindLayer, 'supports');
  // A browser asks for it unless it would surely understand nothing of it.
  if (/^\s*not\b/i.test(inside)) return;
  sheet.imports.push({ url: first.value, media: [...media, rest].join(' and '), layer: [...layer, ...own] });
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
