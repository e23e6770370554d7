/** The cascade, as far as it decides what is loaded: for each element the declarations that win. */
import type { Element } from '../reading/page/element.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';
import { compileSelectors, type Matcher } from './selectors.js';
import { readDeclarations, type Declaration, type Property, type Sheet } from './style-rules.js';

/** A sheet that applies, with the address that its own addresses are relative to. */
export interface AppliedSheet {
  readonly sheet: Sheet;
  readonly base: string;
}

export interface Candidate {
  readonly matcher: Matcher;
  readonly declaration: Declaration;
  readonly base: string;
  readonly order: number;
}

export type Winners = Map<Property, Candidate>;

export interface OwnStyles {
  readonly winners: Winners;
  readonly before: Winners;
  readonly after: Winners;
}

/** Selectors that are tried on the elements of one page: a page made to keep us busy gets no further. */
const MAX_MATCHES = 3_000_000;

/** All rules that matter, found by what an element has. */
export class Styles {
  readonly #index = new Map<string, Candidate[]>();
  #left = MAX_MATCHES;
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
