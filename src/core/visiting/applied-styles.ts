/** What a page's styles make a browser load: pictures of rules that apply, fonts that some text is set in. */
import type { Element } from '../reading/page/element.js';
import { tagOf } from '../reading/page/elements.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';
import { unquote, weightOf } from './font-faces.js';
import type { Property } from './style-rules.js';
import { UsedFonts, type TextStyle } from './used-fonts.js';
import { Styles, type AppliedSheet, type Candidate, type Winners } from './winning-rules.js';

/** An address as it is written, and what it is relative to. */
export interface StyledUrl {
  readonly url: string;
  readonly base: string;
  readonly use: 'image' | 'font';
}

interface Inherited extends TextStyle {
  readonly list: Candidate | undefined;
  readonly cursor: Candidate | undefined;
}

/** @param elements of the page in its order @param page the address that `style` attributes are relative to */
export function listStyled(
  elements: readonly Element[],
  sheets: readonly AppliedSheet[],
  page: string,
  screen: Screen,
): StyledUrl[] {
  const faces = sheets.flatMap(({ sheet, base }) =>
    sheet.fonts
      .filter(({ media }) => media.every((each) => matchesMedia(each, screen)))
      .map((face) => ({ face, base })),
  );
  const hasInline = elements.some(({ attributes }) =>
    /url\(|image-set\(/i.test(attributes.get('style') ?? ''),
  );
  const usesPictures = sheets.some(({ sheet }) =>
    sheet.rules.some(({ declarations }) => declarations.some(({ urls }) => urls.length > 0)),
  );
  // Most pages need none of what follows.
  if (faces.length === 0 && !hasInline && !usesPictures) return [];
  const styles = new Styles(sheets, page, screen);
  const found = new Map<string, StyledUrl>();
  const add = (use: StyledUrl['use'], url: string, base: string): void => {
    const id = `${base}\0${url}`;
    if (!found.has(id)) found.set(id, { url, base, use });
  };
  const fonts = new UsedFonts();
  const inherited = new Map<Element, Inherited>();
  for (const element of elements) {
    const above = element.parent ? inherited.get(element.parent) : PLAIN;
    // Nothing of it is shown, nor of what stands in it.
    if (!above || tagOf(element.name).has('unseen')) continue;
    const own = styles.of(element);
    const display = own.winners.get('display')?.declaration.value.trim().toLowerCase();
    if (display === undefined ? isHidden(element) : display === 'none') continue;
    const here = inherit(element, own.winners, above);
    inherited.set(element, here);
    for (const property of ['background', 'mask', 'border'] as const) addUrls(own.winners.get(property), add);
    if (here.cursor) addUrls(here.cursor, add);
    if (here.list && (element.name === 'li' || display === 'list-item')) addUrls(here.list, add);
    if (own.winners.get('content')?.declaration.urls.length) addUrls(own.winners.get('content'), add);
    if (faces.length > 0) fonts.note(here, textOf(element));
    for (const winners of [own.before, own.after]) {
      const content = winners.get('content');
      const shown = winners.get('display')?.declaration.value.trim().toLowerCase() !== 'none';
      if (!content || !shown || /^(?:none|normal)$/i.test(content.declaration.value.trim())) continue;
      for (const property of ['content', 'background', 'mask', 'border'] as const)
        addUrls(winners.get(property), add);
      if (faces.length > 0) fonts.note(inherit(element, winners, here), lettersOf(content.declaration.value));
    }
  }
  for (const { face, base } of fonts.choose(faces)) add('font', face.url, base);
  return [...found.values()];
}

const addUrls = (
  winner: Candidate | undefined,
  add: (use: 'image', url: string, base: string) => void,
): void => {
  if (winner) for (const url of winner.declaration.urls) add('image', url, winner.base);
};

const PLAIN: Inherited = { family: '', weight: 400, italic: false, list: undefined, cursor: undefined };

const isHidden = ({ name, attributes }: Element): boolean =>
  attributes.has('hidden') ||
  (name === 'dialog' && !attributes.has('open')) ||
  (name === 'input' && attributes.get('type')?.toLowerCase() === 'hidden');

function inherit(element: Element, winners: Winners, above: Inherited): Inherited {
  const tag = tagOf(element.name);
  const value = (property: Property): string | undefined => winners.get(property)?.declaration.value.trim();
  const family = value('family');
  const weight = value('weight');
  const slant = value('slant');
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
          : familyOf(winners.get('family')?.declaration.value ?? ''),
    weight:
      weight === undefined
        ? tag.has('bold')
          ? 700
          : above.weight
        : /^(?:inherit|unset)$/i.test(weight)
          ? above.weight
          : weightOf(/\b(?:bold|bolder|lighter|[1-9]00)\b/i.exec(weight)?.[0] ?? weight),
    italic: slant === undefined ? tag.has('slanted') || above.italic : /\b(?:italic|oblique)\b/i.test(slant),
    list: winners.get('list') ?? above.list,
    cursor: winners.get('cursor') ?? above.cursor,
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
