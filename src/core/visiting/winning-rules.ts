/** The cascade, as far as it decides what is loaded: for each element the declarations that win. */
import type { Element } from '../reading/page/element.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';
import { compileSelectors, type Matcher } from './selectors.js';
import { isCustom } from './custom-values.js';
import { Layers, type Layer } from './layers.js';
import {
  readDeclarations,
  type Declaration,
  type LayerPath,
  type Property,
  type Sheet,
} from './style-rules.js';

/** A sheet that applies, with the address that its own addresses are relative to. */
export interface AppliedSheet {
  readonly sheet: Sheet;
  readonly base: string;
  /** The layer that it was imported into. */
  readonly layer: LayerPath;
}

export interface Candidate {
  readonly matcher: Matcher;
  readonly declaration: Declaration;
  readonly base: string;
  readonly order: number;
  readonly layer: Layer;
  /** Whether it stands at the element itself. */
  readonly isAttached: boolean;
}

export type Winners = Map<Property, Candidate>;

export interface OwnStyles {
  readonly winners: Winners;
  /** Of its parts, by their names: `before`, `marker`. */
  readonly parts: ReadonlyMap<string, Winners>;
}

/** Selectors that are tried on the elements of one page: a page made to keep us busy gets no further. */
const MAX_MATCHES = 3_000_000;

/** All rules that matter, found by what an element has. */
export class Styles {
  readonly #index = new Map<string, Candidate[]>();
  #left = MAX_MATCHES;
  readonly #page: string;
  readonly #named: ReadonlySet<string>;
  readonly #of: 'styles' | 'boxes';

  /**
   * @param attached what `style` attributes of the page name
   * @param of whether what is loaded is asked for, or how high boxes are
   */
  constructor(
    sheets: readonly AppliedSheet[],
    page: string,
    screen: Screen,
    attached: ReadonlySet<string>,
    of: 'styles' | 'boxes' = 'styles',
  ) {
    this.#page = page;
    this.#of = of;
    let order = 0;
    const layers = new Layers();
    this.#named = namesThatMatter(sheets, attached);
    for (const [number, { sheet, base, layer: into }] of sheets.entries()) {
      const at = (path: LayerPath): Layer =>
        layers.at([
          ...into,
          ...path.map((name) => (name.startsWith(' ') ? ` sheet ${number}${name}` : name)),
        ]);
      at([]);
      for (const path of sheet.layers) at(path);
      for (const { selector, media, layer: path, declarations } of sheet.rules) {
        if (!media.every((each) => matchesMedia(each, screen))) continue;
        const mattering = declarations.filter((each) => this.#matters(each));
        if (mattering.length === 0) continue;
        const layer = at(path);
        for (const matcher of compileSelectors(selector))
          for (const declaration of mattering) {
            const list = this.#index.get(matcher.index) ?? [];
            this.#index.set(matcher.index, list);
            list.push({ matcher, declaration, base, order: order++, layer, isAttached: false });
          }
      }
    }
    layers.count();
  }

  /** Most names stand for colours and widths, and are of no use here. */
  #matters({ property }: Declaration): boolean {
    return !isCustom(property) || this.#named.has(property);
  }

  of(element: Element): OwnStyles {
    const parts = new Map<string, Winners>();
    const own: OwnStyles = { winners: new Map(), parts };
    const winnersOf = (part: string): Winners => {
      if (part === '') return own.winners;
      let winners = parts.get(part);
      if (!winners) parts.set(part, (winners = new Map()));
      return winners;
    };
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
        if (matches) take(winnersOf(matcher.pseudo), candidate);
      }
    };
    consider('*');
    consider(name);
    const id = attributes.get('id');
    if (id !== undefined) consider(`#${id}`);
    for (const each of new Set(attributes.get('class')?.split(/\s+/))) if (each !== '') consider(`.${each}`);
    const style = attributes.get('style');
    if (style !== undefined)
      for (const declaration of readDeclarations(style, this.#of))
        if (this.#matters(declaration)) take(own.winners, { ...ATTACHED, declaration, base: this.#page });
    return own;
  }
}

/** The names that decide what is loaded or shown, and those that they are made of. */
function namesThatMatter(
  sheets: readonly AppliedSheet[],
  attached: ReadonlySet<string>,
): ReadonlySet<string> {
  const madeOf = new Map<string, Set<string>>();
  const named = new Set(attached);
  for (const { sheet } of sheets)
    for (const { declarations } of sheet.rules)
      for (const { property, names } of declarations) {
        if (names.length === 0) continue;
        if (!isCustom(property)) {
          for (const name of names) named.add(name);
          continue;
        }
        const own = madeOf.get(property) ?? new Set();
        madeOf.set(property, own);
        for (const name of names) own.add(name);
      }
  // A set grows while it is gone through.
  for (const name of named) for (const other of madeOf.get(name) ?? []) named.add(other);
  return named;
}

const ATTACHED = {
  matcher: { matches: () => true, specificity: Infinity, pseudo: '', index: '*' },
  order: Infinity,
  layer: { rank: 0 },
  isAttached: true,
} as const;

/** The cascade of one property. */
function take(winners: Winners, candidate: Candidate): void {
  const { property } = candidate.declaration;
  const known = winners.get(property);
  if (!known || beats(candidate, known)) winners.set(property, candidate);
}

function beats(a: Candidate, b: Candidate): boolean {
  if (a.declaration.important !== b.declaration.important) return a.declaration.important;
  if (a.isAttached !== b.isAttached) return a.isAttached;
  if (a.layer.rank !== b.layer.rank) return a.declaration.important === a.layer.rank < b.layer.rank;
  if (a.matcher.specificity !== b.matcher.specificity) return a.matcher.specificity > b.matcher.specificity;
  return a.order >= b.order;
}
