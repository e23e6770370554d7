/** What a page's styles make a browser load: pictures of rules that apply, fonts that some text is set in. */
import type { Element } from '../reading/page/element.js';
import { tagOf } from '../reading/page/elements.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';
import { unquote, weightOf } from './font-faces.js';
import { Computed, registeredIn, type Used } from './computed-values.js';
import { namesInAttributes, newWork, NO_VALUES, type CustomValues } from './custom-values.js';
import type { Property } from './style-properties.js';
import { UsedFonts, type TextStyle } from './used-fonts.js';
import { NO_STYLES } from './winning-rules.js';
import { ScopedStyles, type StyledDocument } from './scoped-styles.js';

/** An address as it is written, and what it is relative to. */
export interface StyledUrl {
  readonly url: string;
  readonly base: string;
  readonly use: 'image' | 'font';
}

interface Inherited extends TextStyle {
  readonly list: Used | undefined;
  readonly cursor: Used | undefined;
  readonly custom: CustomValues;
}

export function listStyled(document: StyledDocument, screen: Screen): StyledUrl[] {
  const { elements, trees } = document;
  const sheets = [...trees.values()].flat();
  // Fonts are those of the page, wherever they are used.
  const faces = (trees.get(undefined) ?? []).flatMap(({ sheet, base }) =>
    sheet.fonts
      .filter(({ media }) => media.every((each) => matchesMedia(each, screen)))
      .map((face) => ({ face, base })),
  );
  const hasInline = elements.some(({ attributes }) => {
    const style = attributes.get('style');
    return style !== undefined && /url\(|image-set\(/i.test(style);
  });
  // Most pages need none of what follows.
  if (faces.length === 0 && !hasInline && !sheets.some(({ sheet }) => sheet.mayUsePictures)) return [];
  const registered = registeredIn(sheets);
  const work = newWork();
  const styles = new ScopedStyles(document, namesInAttributes(elements));
  const slots = new Set(elements.filter(({ name }) => name === 'slot').flatMap(({ scope }) => scope ?? []));
  const found = new Map<string, StyledUrl>();
  const add = (use: StyledUrl['use'], url: string, base: string): void => {
    const id = `${base}\0${url}`;
    if (!found.has(id)) found.set(id, { url, base, use });
  };
  const fonts = new UsedFonts();
  // Where nothing of its name or its text counts, an element without styles is like its parent.
  const areAllPlain = faces.length === 0 && registered.size === 0;
  const inherited = new Map<Element, Inherited>();
  for (const element of elements) {
    const above = element.parent ? inherited.get(element.parent) : PLAIN;
    // Nothing of it is shown, nor of what stands in it.
    if (!above || tagOf(element.name).has('unseen') || isFoldedAway(element)) continue;
    if (isLeftOut(element, slots)) continue;
    const own = styles.of(element);
    if (own === NO_STYLES && areAllPlain) {
      // As its parent, and what that has is known.
      if (isHidden(element)) continue;
      inherited.set(element, above);
      if (above.list && element.name === 'li') addUrls(above.list, add);
      continue;
    }
    const computed = new Computed(own.winners, above.custom, registered, work);
    const display = computed.value('display')?.toLowerCase();
    if (display === undefined ? isHidden(element) : display === 'none') continue;
    const here = inherit(element, computed, above);
    // Its own box is shown, and nothing in it.
    const isClosed = computed.value('inside')?.toLowerCase() === 'hidden';
    if (!isClosed) inherited.set(element, here);
    for (const property of OF_ELEMENTS) addUrls(computed.get(property), add);
    if (here.cursor) addUrls(here.cursor, add);
    const isItem = display === undefined ? element.name === 'li' : display === 'list-item';
    if (here.list && isItem) addUrls(here.list, add);
    if (faces.length > 0) fonts.note(here, textOf(element));
    for (const [name, winners] of own.parts) {
      const part = new Computed(winners, here.custom, registered, work);
      const content = part.get('content');
      if (MADE.has(name)) {
        const isShown = part.value('display')?.toLowerCase() !== 'none';
        if (!content || !isShown || /^(?:none|normal)$/i.test(content.value.trim())) continue;
        for (const property of OF_ELEMENTS) addUrls(part.get(property), add);
        if (faces.length > 0) fonts.note(inherit(element, part, here), lettersOf(content.value));
      } else if (name === 'marker') {
        if (isItem) addUrls(content, add);
      } else {
        // A part of its text: it is there as soon as there is any.
        const text = textOf(element);
        if (!/\S/.test(text)) continue;
        addUrls(part.get('background'), add);
        if (faces.length > 0) fonts.note(inherit(element, part, here), text);
      }
    }
  }
  for (const { face, base } of fonts.choose(faces)) add('font', face.url, base);
  return [...found.values()];
}

/** What an element loads by itself, whatever it is. */
const OF_ELEMENTS = [
  'background',
  'mask',
  'border',
  'content',
  'shape',
  'filter',
  'clip',
  'fill',
  'stroke',
] as const satisfies readonly Property[];
/** Parts that are there by their content alone. */
const MADE: ReadonlySet<string> = new Set(['before', 'after']);

const addUrls = (used: Used | undefined, add: (use: 'image', url: string, base: string) => void): void => {
  if (used) for (const url of used.urls) add('image', url, used.base);
};

const PLAIN: Inherited = {
  family: '',
  weight: 400,
  italic: false,
  list: undefined,
  cursor: undefined,
  custom: NO_VALUES,
};

/** What stands in a host beside its shadow tree is shown where that has a slot. */
const isLeftOut = ({ parent, scope }: Element, slots: ReadonlySet<Element>): boolean =>
  parent?.shadow !== undefined && parent !== scope && !slots.has(parent);

/** Of details that are closed only the summary is shown. */
const isFoldedAway = (element: Element): boolean => {
  const { parent } = element;
  if (parent?.name !== 'details' || parent.attributes.has('open')) return false;
  return parent.children.find(({ name }) => name === 'summary') !== element;
};

const isHidden = ({ name, attributes }: Element): boolean =>
  attributes.has('hidden') ||
  attributes.has('popover') ||
  (name === 'dialog' && !attributes.has('open')) ||
  (name === 'input' && attributes.get('type')?.toLowerCase() === 'hidden');

function inherit(element: Element, computed: Computed, above: Inherited): Inherited {
  const tag = tagOf(element.name);
  const family = computed.value('family');
  const weight = computed.value('weight');
  const slant = computed.value('slant');
  return {
    family:
      family === undefined
        ? tag.has('mono')
          ? 'monospace'
          : tag.has('own')
            ? ''
            : above.family
        : /^(?:inherit|unset)$/i.test(family)
          ? above.family
          : familyOf(family),
    weight:
      weight === undefined
        ? tag.has('bold')
          ? 700
          : above.weight
        : /^(?:inherit|unset)$/i.test(weight)
          ? above.weight
          : weightOf(/\b(?:bold|bolder|lighter|[1-9]00)\b/i.exec(weight)?.[0] ?? weight),
    italic: slant === undefined ? tag.has('slanted') || above.italic : /\b(?:italic|oblique)\b/i.test(slant),
    list: computed.get('list') ?? above.list,
    cursor: computed.get('cursor') ?? above.cursor,
    custom: computed.custom,
  };
}

/** The families of `font` or `font-family`: what follows the size, of the former. */
const familyOf = (value: string): string => {
  const size =
    /(?:^|\s)(?:[\d.]+(?:[a-z]+|%)|(?:x{1,3}-)?(?:small|large)|medium|smaller|larger)(?:\s*\/\s*[^\s,]+)?\s+(?=\S)/i.exec(
      value,
    );
  return size ? value.slice(size.index + size[0].length) : value;
};

function textOf({ name, text, children, attributes }: Element): string {
  if (name === 'input') return `${attributes.get('value') ?? ''}${attributes.get('placeholder') ?? ''}`;
  if (/\S/.test(text)) return text;
  // An inline element with nothing in it asks for its font all the same.
  return children.length === 0 && tagOf(name).has('inline') ? ' ' : '';
}

const lettersOf = (content: string): string =>
  (content.match(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g) ?? []).map(unquote).join('');
