/** The rules of some sheets that matter on one screen, found by what an element has; pages with the same sheets share them. */
import { isCustom } from './custom-values.js';
import { Layers, type Layer } from './layers.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';
import { compileSelectors, type Matcher } from './selectors.js';
import type { Declaration, LayerPath, Sheet } from './style-rules.js';

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

/** Rules that are looked at and selectors that are tried for one page: a page made to keep us busy gets no further. */
const MAX_MATCHES = 3_000_000;

/** What is left of the work of one page. */
export interface MatchBudget {
  left: number;
}

export const newMatchBudget = (): MatchBudget => ({ left: MAX_MATCHES });

export class StyleIndex {
  readonly #candidates = new Map<string, Candidate[]>();
  readonly #named: ReadonlySet<string>;

  /** @param attached names of custom properties that are used beside the sheets */
  constructor(sheets: readonly AppliedSheet[], screen: Screen, attached: ReadonlySet<string>) {
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
        const mattering = declarations.filter((each) => this.matters(each));
        if (mattering.length === 0) continue;
        const layer = at(path);
        for (const matcher of compileSelectors(selector))
          for (const declaration of mattering) {
            const list = this.#candidates.get(matcher.index) ?? [];
            this.#candidates.set(matcher.index, list);
            list.push({ matcher, declaration, base, order: order++, layer, isAttached: false });
          }
      }
    }
    layers.count();
  }

  /** @param has what an element has: `#id`, `.class`, its name, or '*' */
  candidates(has: string): readonly Candidate[] {
    return this.#candidates.get(has) ?? NONE;
  }

  /** Most names stand for colours and widths, and are of no use here. */
  matters({ property }: Declaration): boolean {
    return !isCustom(property) || this.#named.has(property);
  }
}

const NONE: readonly Candidate[] = [];

/** Indexes that are kept for the next page. */
const MAX_INDEXES = 100;

/** Indexes of the sheets of one site on one screen. */
export class StyleIndexes {
  readonly #screen: Screen;
  readonly #made = new Map<string, StyleIndex>();
  readonly #ids = new WeakMap<Sheet, number>();
  #lastId = 0;

  constructor(screen: Screen) {
    this.#screen = screen;
  }

  /**
   * @param attached names of custom properties that are used beside the sheets
   * @returns the index of some sheets; an empty one where the page has used up its budget
   */
  finder(
    attached: ReadonlySet<string>,
    budget: MatchBudget,
  ): (sheets: readonly AppliedSheet[]) => StyleIndex {
    const names = JSON.stringify([...attached].sort());
    return (sheets) => {
      const key = JSON.stringify([
        names,
        sheets.map(({ sheet, base, layer }) => [this.#id(sheet), base, layer]),
      ]);
      let index = this.#made.get(key);
      if (index) return index;
      budget.left -= sheets.reduce((sum, { sheet }) => sum + sheet.rules.length, 0);
      if (budget.left < 0) return new StyleIndex([], this.#screen, attached);
      if (this.#made.size >= MAX_INDEXES) this.#made.clear();
      this.#made.set(key, (index = new StyleIndex(sheets, this.#screen, attached)));
      return index;
    };
  }

  #id(sheet: Sheet): number {
    const id = this.#ids.get(sheet) ?? ++this.#lastId;
    this.#ids.set(sheet, id);
    return id;
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
