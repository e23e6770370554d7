/** What styles say of one box, in CSS pixels, as far as it decides how high the page is. */
import type { Element } from '../reading/page/element.js';
import { tagOf } from '../reading/page/elements.js';
import { sideOf, type BoxProperty } from './box-properties.js';
import type { Computed } from './computed-values.js';
import { reckonLength } from './picture-choice.js';
import { lengthOf, splitList, splitWords, type Screen } from './screen.js';

/** How the children of a box stand. */
export type Arrangement =
  | { readonly is: 'below each other' }
  | { readonly is: 'beside each other'; readonly wraps: boolean }
  | { readonly is: 'in columns'; readonly columns: number };

export interface BoxStyle {
  readonly isShown: boolean;
  /** Whether it stands in a line of text, and not in a row of its own. */
  readonly isInline: boolean;
  /** Whether what comes after it does not know of it. */
  readonly isOut: boolean;
  readonly isFloat: boolean;
  /** Of the letters in it. */
  readonly size: number;
  readonly lineHeight: number;
  /** With its padding, where it is set; NaN where it comes of what is around or in it. */
  readonly width: number;
  readonly height: number;
  readonly leastHeight: number;
  readonly mostHeight: number;
  /** Width by height; NaN where none is set. */
  readonly ratio: number;
  readonly padding: { readonly top: number; readonly bottom: number; readonly sides: number };
  readonly margin: { readonly top: number; readonly bottom: number; readonly sides: number };
  readonly top: number;
  readonly children: Arrangement;
  readonly gaps: { readonly row: number; readonly column: number };
  /** Columns of text. */
  readonly columns: number;
}

/** What is handed down. */
export interface Around {
  /** That its children have. */
  readonly width: number;
  readonly size: number;
  /** As it was set: a factor below 10, else pixels. */
  readonly line: number;
}

const LONGEST = 500;

/** Sizes of letters by their words, and of headings beside the text around them. */
const WORDS = new Map(
  Object.entries({
    'xx-small': 9,
    'x-small': 10,
    small: 13,
    medium: 16,
    large: 18,
    'x-large': 24,
    'xx-large': 32,
  }),
);
const HEADINGS = new Map(Object.entries({ h1: 2, h2: 1.5, h3: 1.17, h4: 1, h5: 0.83, h6: 0.67 }));
/** The line of most fonts, where a page sets none. */
const LINE = 1.17;
/** Margins of a browser's own sheet, in the size of its letters. */
const MARGINS = new Map(
  Object.entries({
    p: 1,
    ul: 1,
    ol: 1,
    dl: 1,
    pre: 1,
    blockquote: 1,
    figure: 1,
    h1: 0.67,
    h2: 0.83,
    h3: 1,
    h4: 1.33,
    h5: 1.67,
    h6: 2.33,
    hr: 0.5,
    fieldset: 0,
  }),
);
const INDENTED = new Set(['ul', 'ol', 'dd']);
const BLOCKS =
  /^(?:html|body|p|div|ul|ol|dl|li|dt|dd|table|caption|thead|tbody|tfoot|tr|figure|figcaption|pre|blockquote|section|article|aside|header|footer|main|nav|hr|h[1-6]|form|fieldset|legend|address|details|summary|center|dialog|hgroup|search|menu|dir|optgroup)$/;

export function readBoxStyle(element: Element, computed: Computed, around: Around, screen: Screen): BoxStyle {
  const { name, attributes } = element;
  const text = (property: BoxProperty): string | undefined => {
    const value = computed.value(property);
    // A longer one is no length but an attack.
    return value === undefined || value.length > LONGEST ? undefined : sideOf(property, value).toLowerCase();
  };
  const size = sizeOf(name, text('letters'), around.size, screen);
  const pixels = (value: string | undefined, base: number): number => {
    if (value === undefined) return NaN;
    const [, number, unit] = /^([+-]?[\d.]+)(em|%)$/.exec(value) ?? [];
    if (number !== undefined) return Number(number) * (unit === '%' ? base / 100 : size);
    return reckonLength(value, screen) ?? NaN;
  };
  const display = text('display') ?? (isHiddenByItself(element) ? 'none' : undefined);
  const position = text('position');
  const float = text('float');
  const isFloat = float === 'left' || float === 'right';
  const isBlock =
    display === undefined || /^(?:initial|revert|unset|inherit)$/.test(display)
      ? BLOCKS.test(name)
      : !/^inline/.test(display);
  const side = (property: BoxProperty, own: number): number => {
    const value = pixels(text(property), around.width);
    return Number.isNaN(value) ? own : value;
  };
  const own = isBlock ? (MARGINS.get(name) ?? 0) * size : 0;
  const edge = name === 'body' ? 8 : own;
  const indent = INDENTED.has(name) ? 40 : 0;
  const padding = {
    top: side('padding-top', 0),
    bottom: side('padding-bottom', 0),
    sides: side('padding-left', name === 'dd' ? 0 : indent) + side('padding-right', 0),
  };
  const margin = {
    top: side('margin-top', edge),
    bottom: side('margin-bottom', edge),
    sides:
      side('margin-left', name === 'body' ? 8 : name === 'dd' ? indent : 0) +
      side('margin-right', name === 'body' ? 8 : 0),
  };
  const isWhole = text('sizing') === 'border-box';
  const high = (value: number): number => (isWhole ? value : value + padding.top + padding.bottom);
  const [given, most, least] = (['width', 'max-width', 'min-width'] as const).map((each) =>
    pixels(text(each), around.width),
  );
  const set = Number.isNaN(given ?? NaN) ? sized(attributes.get('width'), around.width) : (given ?? NaN);
  const bounded = Math.max(least || 0, Math.min(Number.isNaN(set) ? around.width : set, most || Infinity));
  const isNarrowed = Number.isNaN(set) ? bounded < around.width : true;
  // A part of what is around is known where that is: of a page it is not.
  const whole = (property: BoxProperty): number => {
    const value = text(property);
    return value?.endsWith('%') === true ? NaN : pixels(value, NaN);
  };
  const line = text('line');
  const factor =
    line === undefined || line === 'normal' ? around.line : lineOf(line, size, screen, around.line);
  return {
    isShown: display !== 'none',
    isInline: !isBlock && !isFloat,
    isOut: position === 'absolute' || position === 'fixed',
    isFloat,
    size,
    lineHeight: factor < 10 ? factor * size : factor,
    width: isNarrowed ? bounded + (isWhole || Number.isNaN(set) ? 0 : padding.sides) : NaN,
    height: high(whole('height')),
    leastHeight: high(whole('min-height')) || 0,
    mostHeight: high(whole('max-height')) || Infinity,
    ratio: ratioOf(text('ratio')),
    padding,
    margin,
    top: side('top', 0),
    children: arrangementOf(display, text, around.width),
    gaps: { row: side('row-gap', 0), column: side('column-gap', 0) },
    columns: Math.max(1, Number(/\b(\d{1,2})\b(?!\S)/.exec(text('columns') ?? '')?.[1] ?? 1)),
  };
}

/** As it is handed down: a factor below 10, else pixels. */
export const lineFor = ({ lineHeight, size }: BoxStyle): number => lineHeight / size;

function lineOf(text: string, size: number, screen: Screen, around: number): number {
  // Of `font` it stands behind a stroke.
  const value = /\/\s*([^\s,]+)/.exec(text)?.[1] ?? text;
  if (/^[\d.]+$/.test(value)) return Math.min(9.9, Number(value));
  if (/^[\d.]+(?:%|em)$/.test(value))
    return Math.min(9.9, Number.parseFloat(value) / (value.endsWith('%') ? 100 : 1));
  const pixels = lengthOf(value, screen);
  return pixels === undefined ? around : Math.min(9.9, pixels / size);
}

export const NORMAL_LINE = LINE;

function sizeOf(name: string, text: string | undefined, around: number, screen: Screen): number {
  const own = around * (HEADINGS.get(name) ?? (name === 'small' ? 0.83 : 1));
  if (text === undefined) return own;
  const word =
    /(?:^|\s)((?:xx?-)?(?:small|large)|medium|smaller|larger|[\d.]+(?:[a-z]+|%)|calc\(.*?\)|clamp\(.*?\))(?=\s|\/|$)/.exec(
      text,
    )?.[1];
  if (word === undefined) return own;
  if (/^[\d.]+(?:em|%)$/.test(word))
    return around * (Number.parseFloat(word) / (word.endsWith('%') ? 100 : 1));
  const known = WORDS.get(word) ?? reckonLength(word, screen);
  return known !== undefined && known > 0 && known < 1000 ? known : own;
}

/** What an attribute sets, in pixels or as a part. */
function sized(value: string | undefined, base: number): number {
  const number = Number.parseFloat(value ?? '');
  return value?.trim().endsWith('%') === true ? (number * base) / 100 : number;
}

function ratioOf(text: string | undefined): number {
  const [, width, height = '1'] = /([\d.]+)(?:\s*\/\s*([\d.]+))?/.exec(text ?? '') ?? [];
  return width === undefined ? NaN : Number(width) / Number(height);
}

function isHiddenByItself(element: Element): boolean {
  const { name, attributes, parent } = element;
  if (tagOf(name).has('unseen') || attributes.has('hidden') || attributes.has('popover')) return true;
  if (name === 'dialog') return !attributes.has('open');
  if (name === 'input') return attributes.get('type')?.toLowerCase() === 'hidden';
  if (parent?.name !== 'details' || parent.attributes.has('open')) return false;
  return parent.children.find((each) => each.name === 'summary') !== element;
}

function arrangementOf(
  display: string | undefined,
  text: (property: BoxProperty) => string | undefined,
  width: number,
): Arrangement {
  if (display !== undefined && /flex$/.test(display)) {
    if (/column/.test(text('direction') ?? '')) return { is: 'below each other' };
    return { is: 'beside each other', wraps: /\bwrap\b/.test(text('wrap') ?? '') };
  }
  if (display !== undefined && /grid$/.test(display)) {
    const columns = countTracks(text('tracks') ?? '', width);
    return columns > 1 ? { is: 'in columns', columns } : { is: 'below each other' };
  }
  return { is: 'below each other' };
}

const MAX_TRACKS = 100;

/** Columns of a grid. */
function countTracks(text: string, width: number): number {
  // Of `grid-template` the columns stand behind the stroke; names in brackets are no tracks.
  const words = splitWords(text.slice(text.indexOf('/') + 1)).filter((word) => !word.startsWith('['));
  let count = 0;
  for (const word of words) {
    const [, inside] = /^repeat\((.*)\)$/.exec(word) ?? [];
    if (inside === undefined) {
      if (word !== 'none') count++;
      continue;
    }
    const [times = '', ...each] = splitList(inside);
    const tracks = splitWords(each.join(', '));
    if (/^\d{1,3}$/.test(times)) count += Number(times) * tracks.length;
    else {
      const least = leastOf(tracks[0] ?? '');
      count += least > 0 ? Math.max(1, Math.floor(width / least)) : 1;
    }
  }
  return Math.min(MAX_TRACKS, count);
}

/** The least width of a track such as `minmax(12em, 1fr)`. */
function leastOf(track: string): number {
  const [, first] = /^minmax\(([^,]*),/.exec(track) ?? [];
  const word = (first ?? track).trim();
  const number = Number.parseFloat(word);
  return /^[\d.]+px$/.test(word) ? number : /^[\d.]+r?em$/.test(word) ? number * 16 : 0;
}
