/** What a page's styles make a browser load: pictures of rules that apply, fonts that some text is set in. */
import type { Element } from './element.js';
import { matchesMedia, type Screen } from './screen.js';
import { compileSelectors, type Matcher } from './selectors.js';
import {
  readDeclarations,
  unquote,
  weightOf,
  type Declaration,
  type FontFace,
  type Property,
  type Sheet,
} from './style-rules.js';

/** A sheet that applies, with the address that its own addresses are relative to. */
export interface AppliedSheet {
  readonly sheet: Sheet;
  readonly base: string;
}

/** An address as it is written, and what it is relative to. */
export interface StyledUrl {
  readonly url: string;
  readonly base: string;
  readonly use: 'image' | 'font';
}

interface Candidate {
  readonly matcher: Matcher;
  readonly declaration: Declaration;
  readonly base: string;
  readonly order: number;
}

type Winners = Map<Property, Candidate>;

/** Never shown by any browser, whatever the styles say of their inside. */
const UNSHOWN = new Set([
  ...['head', 'script', 'style', 'template', 'title', 'link', 'meta', 'base', 'noscript', 'datalist'],
  ...['source', 'track', 'param', 'area', 'col', 'colgroup'],
]);
const BOLD = new Set(['b', 'strong', 'h1', 'h2', 'h3', 'h4', 'h5', 'h6', 'th']);
const SLANTED = new Set(['i', 'em', 'cite', 'var', 'dfn', 'address']);
const MONOSPACED = new Set(['code', 'pre', 'kbd', 'samp', 'tt']);
const INLINE = new Set([
  'span',
  'a',
  'b',
  'i',
  'em',
  'strong',
  'small',
  'code',
  'abbr',
  'time',
  'q',
  's',
  'u',
]);
const OWN_FONT = new Set(['button', 'input', 'select', 'textarea']);

interface Inherited {
  readonly family: string;
  readonly weight: number;
  readonly italic: boolean;
  readonly list: Candidate | undefined;
  readonly cursor: Candidate | undefined;
}

/** What a text is set in, with the code points of it. */
interface Setting extends Pick<Inherited, 'family' | 'weight' | 'italic'> {
  readonly letters: Set<number>;
}

const MOST_LETTERS = 4000;

/** @param elements of the page in its order @param baseOf the address that `style` attributes are relative to */
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
  const settings = new Map<string, Setting>();
  const inherited = new Map<Element, Inherited>();
  for (const element of elements) {
    const above = element.parent ? inherited.get(element.parent) : PLAIN;
    // Nothing of it is shown, nor of what stands in it.
    if (!above || UNSHOWN.has(element.name)) continue;
    const own = styles.of(element);
    const display = own.winners.get('display')?.declaration.value.trim().toLowerCase();
    if (display === undefined ? isHidden(element) : display === 'none') continue;
    const here = inherit(element, own.winners, above);
    inherited.set(element, here);
    for (const property of ['background', 'mask', 'border'] as const) addUrls(own.winners.get(property), add);
    if (here.cursor) addUrls(here.cursor, add);
    if (here.list && (element.name === 'li' || display === 'list-item')) addUrls(here.list, add);
    if (own.winners.get('content')?.declaration.urls.length) addUrls(own.winners.get('content'), add);
    if (faces.length > 0) noteText(settings, here, textOf(element));
    for (const winners of [own.before, own.after]) {
      const content = winners.get('content');
      const shown = winners.get('display')?.declaration.value.trim().toLowerCase() !== 'none';
      if (!content || !shown || /^(?:none|normal)$/i.test(content.declaration.value.trim())) continue;
      for (const property of ['content', 'background', 'mask', 'border'] as const)
        addUrls(winners.get(property), add);
      if (faces.length > 0)
        noteText(settings, inherit(element, winners, here), lettersOf(content.declaration.value));
    }
  }
  for (const setting of settings.values())
    for (const { face, base } of chooseFaces(setting, faces)) add('font', face.url, base);
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
  const { name } = element;
  const value = (property: Property): string | undefined => winners.get(property)?.declaration.value.trim();
  const family = value('family');
  const weight = value('weight');
  const slant = value('slant');
  return {
    family:
      family === undefined
        ? MONOSPACED.has(name)
          ? 'monospace'
          : OWN_FONT.has(name)
            ? ''
            : above.family
        : /^(?:inherit|unset)$/i.test(family)
          ? above.family
          : familyOf(winners.get('family')?.declaration.value ?? ''),
    weight:
      weight === undefined
        ? BOLD.has(name)
          ? 700
          : above.weight
        : /^(?:inherit|unset)$/i.test(weight)
          ? above.weight
          : weightOf(/\b(?:bold|bolder|lighter|[1-9]00)\b/i.exec(weight)?.[0] ?? weight),
    italic: slant === undefined ? SLANTED.has(name) || above.italic : /\b(?:italic|oblique)\b/i.test(slant),
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
  return children.length === 0 && INLINE.has(name) ? ' ' : '';
}

const lettersOf = (content: string): string =>
  (content.match(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g) ?? []).map(unquote).join('');

function noteText(settings: Map<string, Setting>, { family, weight, italic }: Inherited, text: string): void {
  if (text === '' || family === '') return;
  const id = `${family}\0${weight}\0${italic}`;
  let setting = settings.get(id);
  if (!setting) settings.set(id, (setting = { family, weight, italic, letters: new Set() }));
  for (const letter of text) {
    if (setting.letters.size >= MOST_LETTERS) break;
    setting.letters.add(letter.codePointAt(0) ?? 0);
  }
}

const GENERIC =
  /^(?:serif|sans-serif|monospace|cursive|fantasy|system-ui|emoji|math|ui-serif|ui-sans-serif|ui-monospace|ui-rounded)$/;

interface Based {
  readonly face: FontFace;
  readonly base: string;
}

/** The faces that a text needs: of the first family that has some of its letters, then of the next for what is left. */
function chooseFaces({ family, weight, italic, letters }: Setting, faces: readonly Based[]): Based[] {
  const chosen: Based[] = [];
  let left = [...letters];
  for (const part of family.split(',')) {
    const name = unquote(part).toLowerCase();
    if (GENERIC.test(name) || left.length === 0) break;
    const of = faces.filter(({ face }) => face.family === name);
    const best = closest(of, weight, italic);
    // Of several with the same description the last that has a letter is the one.
    for (const each of [...best].reverse()) {
      const isIn = (letter: number): boolean =>
        each.face.ranges.some(([from, to]) => letter >= from && letter <= to);
      if (!left.some(isIn)) continue;
      chosen.push(each);
      left = left.filter((letter) => !isIn(letter));
    }
  }
  return chosen;
}

function closest(faces: readonly Based[], weight: number, italic: boolean): Based[] {
  const slanted = faces.filter(({ face }) => face.italic === italic);
  const pool = slanted.length > 0 ? slanted : faces;
  const distance = ({ face: { weight: range } }: Based): number => {
    const [from, to] = range;
    if (weight >= from && weight <= to) return 0;
    const off = weight < from ? from - weight : weight - to;
    // CSS Fonts 4, section 5.2: 400 and 500 stand in for each other, lighter looks lighter first, bold bolder.
    const away = weight > 500 ? weight > to : weight < from;
    return away && !(weight >= 400 && weight <= 500 && from <= 500 && to >= 400) ? off + 1000 : off;
  };
  const least = Math.min(...pool.map(distance));
  return pool.filter((each) => distance(each) === least);
}

interface OwnStyles {
  readonly winners: Winners;
  readonly before: Winners;
  readonly after: Winners;
}

/** Selectors that are tried on the elements of one page: a page made to keep us busy gets no further. */
const MOST_MATCHES = 3_000_000;

/** All rules that matter, found by what an element has. */
class Styles {
  readonly #index = new Map<string, Candidate[]>();
  #left = MOST_MATCHES;
  readonly #page: string;

  constructor(sheets: readonly AppliedSheet[], page: string, screen: Screen) {
    this.#page = page;
    let order = 0;
    for (const { sheet, base } of sheets)
      for (const { selector, media, declarations } of sheet.rules) {
        if (!media.every((each) => matchesMedia(each, screen))) continue;
        for (const matcher of compileSelectors(selector))
          for (const declaration of declarations) {
            const list = this.#index.get(matcher.index) ?? [];
            this.#index.set(matcher.index, list);
            list.push({ matcher, declaration, base, order: order++ });
          }
      }
  }

  of(element: Element): OwnStyles {
    const own: OwnStyles = { winners: new Map(), before: new Map(), after: new Map() };
    const { attributes, name } = element;
    const verdicts = new Map<Matcher, boolean>();
    const consider = (index: string): void => {
      for (const candidate of this.#index.get(index) ?? []) {
        const { matcher } = candidate;
        let matches = verdicts.get(matcher);
        if (matches === undefined) {
          if (this.#left-- <= 0) return;
          verdicts.set(matcher, (matches = matcher.matches(element)));
        }
        if (matches)
          take(
            matcher.pseudo === 'before' ? own.before : matcher.pseudo === 'after' ? own.after : own.winners,
            candidate,
          );
      }
    };
    consider('*');
    consider(name);
    const id = attributes.get('id');
    if (id !== undefined) consider(`#${id}`);
    for (const each of new Set(attributes.get('class')?.split(/\s+/))) if (each !== '') consider(`.${each}`);
    const style = attributes.get('style');
    if (style !== undefined)
      for (const declaration of readDeclarations(style))
        take(own.winners, { matcher: INLINE_STYLE, declaration, base: this.#page, order: Infinity });
    return own;
  }
}

const INLINE_STYLE: Matcher = { matches: () => true, specificity: Infinity, pseudo: '', index: '*' };

/** The cascade of one property. */
function take(winners: Winners, candidate: Candidate): void {
  const { property } = candidate.declaration;
  const known = winners.get(property);
  if (!known || beats(candidate, known)) winners.set(property, candidate);
}

function beats(a: Candidate, b: Candidate): boolean {
  if (a.declaration.important !== b.declaration.important) return a.declaration.important;
  if (a.matcher.specificity !== b.matcher.specificity) return a.matcher.specificity > b.matcher.specificity;
  return a.order >= b.order;
}
