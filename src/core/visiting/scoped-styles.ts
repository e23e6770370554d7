/** The styles of a page and of the shadow trees in it: each tree has its own, and says something of its host too. */
import type { Element } from '../reading/page/element.js';
import { splitList } from './screen.js';
import { newMatchBudget, type AppliedSheet, type StyleIndexes } from './style-index.js';
import type { Rule, Sheet } from './style-rules.js';
import { Styles, type OwnStyles, type StylesContext } from './winning-rules.js';

/** Sheets by the host of the tree that they apply in; those of the page by nothing. */
export type SheetsByTree = ReadonlyMap<Element | undefined, readonly AppliedSheet[]>;

/** A document with the sheets that apply in it. */
export interface StyledDocument {
  /** In their order. */
  readonly elements: readonly Element[];
  readonly trees: SheetsByTree;
  /** The address that `style` attributes are relative to. */
  readonly base: string;
  readonly indexes: StyleIndexes;
}

interface TreeStyles {
  readonly inner: Styles;
  /** Of its host, and of what is put into its slots; undefined where it says nothing of them. */
  readonly host: Styles | undefined;
  readonly slotted: Styles | undefined;
}

export class ScopedStyles {
  readonly #trees = new Map<Element | undefined, TreeStyles>();
  /** Of trees without a sheet: what `style` attributes say. */
  readonly #plain: Styles;

  /** @param attached names of custom properties in `style` attributes */
  constructor(
    { trees, base, indexes }: Omit<StyledDocument, 'elements'>,
    attached: ReadonlySet<string>,
    of: StylesContext['of'] = 'styles',
  ) {
    // A name that one tree sets may be used in another.
    const named = trees.size > 1 ? new Set([...attached, ...namesUsed(trees)]) : attached;
    const context = { base, of, budget: newMatchBudget() };
    const indexOf = indexes.finder(named, context.budget);
    const make = (applied: readonly AppliedSheet[]): Styles => new Styles(indexOf(applied), context);
    this.#plain = make([]);
    const divided = new Map<Sheet, DividedSheet>();
    for (const [host, applied] of trees) {
      if (!host) {
        this.#trees.set(host, { inner: make(applied), host: undefined, slotted: undefined });
        continue;
      }
      const parts = applied.map((each) => {
        // Many trees have the same sheet.
        const known = divided.get(each.sheet) ?? divide(each.sheet);
        divided.set(each.sheet, known);
        return { each, known };
      });
      const part = (name: keyof DividedSheet): readonly AppliedSheet[] =>
        parts.map(({ each, known }) => ({ ...each, sheet: known[name] }));
      const hasRules = (list: readonly AppliedSheet[]): boolean =>
        list.some(({ sheet }) => sheet.rules.length > 0);
      const [ofHost, ofSlotted] = [part('host'), part('slotted')];
      this.#trees.set(host, {
        inner: make(part('inner')),
        host: hasRules(ofHost) ? make(ofHost) : undefined,
        slotted: hasRules(ofSlotted) ? make(ofSlotted) : undefined,
      });
    }
  }

  of(element: Element): OwnStyles {
    const own = (this.#trees.get(element.scope)?.inner ?? this.#plain).of(element);
    if (this.#trees.size === 1) return own;
    // What the tree around says of it comes before what its own tree does.
    const hosted = fill(own, this.#trees.get(element)?.host, element);
    if (!element.parent || element.parent === element.scope) return hosted;
    return fill(hosted, this.#trees.get(element.parent)?.slotted, element);
  }
}

function namesUsed(trees: SheetsByTree): Set<string> {
  const sheets = new Set([...trees.values()].flatMap((applied) => applied.map(({ sheet }) => sheet)));
  const names = new Set<string>();
  for (const { rules } of sheets)
    for (const { declarations } of rules)
      for (const each of declarations) for (const name of each.names) names.add(name);
  return names;
}

/** What is not said yet is taken from other styles. */
function fill(own: OwnStyles, styles: Styles | undefined, element: Element): OwnStyles {
  if (!styles) return own;
  const winners = new Map(own.winners);
  for (const [property, candidate] of styles.of(element).winners)
    if (!winners.has(property) && !candidate.isAttached) winners.set(property, candidate);
  return { winners, parts: own.parts };
}

/** A sheet of a shadow tree: what it says of the tree, of its host, and of what is put into its slots. */
interface DividedSheet {
  readonly inner: Sheet;
  readonly host: Sheet;
  readonly slotted: Sheet;
}

const divide = (sheet: Sheet): DividedSheet => ({
  inner: partOf(sheet, innerOf),
  host: partOf(sheet, hostOf),
  slotted: partOf(sheet, slottedOf),
});

/** The rules whose selectors, one by one, are taken as another one. */
const partOf = (sheet: Sheet, take: (selector: string) => string | undefined): Sheet => ({
  ...sheet,
  rules: sheet.rules.flatMap((rule): Rule[] => {
    const selectors = splitList(rule.selector).flatMap((each) => take(each) ?? []);
    return selectors.length === 0 ? [] : [{ ...rule, selector: selectors.join(', ') }];
  }),
});

const HOST = /^:host(?:\(([^()]*(?:\([^()]*\)[^()]*)*)\))?/;

const hostOf = (selector: string): string | undefined => {
  const found = HOST.exec(selector);
  return found?.[0] === selector ? (found[1] ?? '*') : undefined;
};

const slottedOf = (selector: string): string | undefined => /::slotted\(([^()]*)\)$/.exec(selector)?.[1];

/** What stands in the tree, whatever its host is. */
function innerOf(selector: string): string | undefined {
  if (hostOf(selector) !== undefined || slottedOf(selector) !== undefined) return undefined;
  return (
    selector
      .replace(HOST, '')
      .replace(/^\s*>\s*/, '')
      .trim() || undefined
  );
}
