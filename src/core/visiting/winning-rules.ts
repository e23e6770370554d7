/** The cascade, as far as it decides what is loaded: for each element the declarations that win. */
import type { Element } from '../reading/page/element.js';
import type { Matcher } from './selectors.js';
import type { Candidate, MatchBudget, StyleIndex } from './style-index.js';
import type { Property } from './style-properties.js';
import { readDeclarations } from './style-rules.js';

export type Winners = ReadonlyMap<Property, Candidate>;
type Winning = Map<Property, Candidate>;

export interface OwnStyles {
  readonly winners: Winners;
  /** Of its parts, by their names: `before`, `marker`. */
  readonly parts: ReadonlyMap<string, Winners>;
}

export const NO_STYLES: OwnStyles = { winners: new Map(), parts: new Map() };

/** What is asked of the styles of a page. */
export interface StylesContext {
  /** The address that `style` attributes are relative to. */
  readonly base: string;
  /** Whether what is loaded is asked for, or how high boxes are. */
  readonly of: 'styles' | 'boxes';
  readonly budget: MatchBudget;
}

/** What the rules of an index come to at the elements of one page. */
export class Styles {
  readonly #index: StyleIndex;
  readonly #context: StylesContext;

  constructor(index: StyleIndex, context: StylesContext) {
    this.#index = index;
    this.#context = context;
  }

  of(element: Element): OwnStyles {
    const { base, of, budget } = this.#context;
    // Most elements have none.
    let own: { winners: Winning; parts: Map<string, Winning> } | undefined;
    const winnersOf = (part: string): Winning => {
      own ??= { winners: new Map(), parts: new Map() };
      if (part === '') return own.winners;
      let winners = own.parts.get(part);
      if (!winners) own.parts.set(part, (winners = new Map()));
      return winners;
    };
    const { attributes, name } = element;
    let verdicts: Map<Matcher, boolean> | undefined;
    const consider = (has: string): void => {
      for (const candidate of this.#index.candidates(has)) {
        const { matcher } = candidate;
        verdicts ??= new Map();
        let matches = verdicts.get(matcher);
        if (matches === undefined) {
          if (budget.left-- <= 0) return;
          verdicts.set(matcher, (matches = matcher.matches(element)));
        }
        if (matches) take(winnersOf(matcher.pseudo), candidate);
      }
    };
    consider('*');
    consider(name);
    const id = attributes.get('id');
    if (id !== undefined) consider(`#${id}`);
    const classes = attributes.get('class');
    if (classes !== undefined)
      for (const each of /\s/.test(classes) ? new Set(classes.split(/\s+/)) : [classes])
        if (each !== '') consider(`.${each}`);
    const style = attributes.get('style');
    if (style !== undefined)
      for (const declaration of readDeclarations(style, of))
        if (this.#index.matters(declaration)) take(winnersOf(''), { ...ATTACHED, declaration, base });
    return own ?? NO_STYLES;
  }
}

const ATTACHED = {
  matcher: { matches: () => true, specificity: Infinity, pseudo: '', index: '*' },
  order: Infinity,
  layer: { rank: 0 },
  isAttached: true,
} as const;

/** The cascade of one property. */
function take(winners: Winning, candidate: Candidate): void {
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
