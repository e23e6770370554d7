/** The styles of a page and of the shadow trees in it: each tree has its own, and says something of its host too. */
import type { Element } from '../reading/page/element.js';
import { splitList, type Screen } from './screen.js';
import type { Rule, Sheet } from './style-rules.js';
import { Styles, type AppliedSheet, type OwnStyles } from './winning-rules.js';

/** Sheets by the host of the tree that they apply in; those of the page by nothing. */
export type SheetsByTree = ReadonlyMap<Element | undefined, readonly AppliedSheet[]>;

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
    sheets: SheetsByTree,
    page: string,
    screen: Screen,
    attached: ReadonlySet<string>,
    of: 'styles' | 'boxes' = 'styles',
  ) {
    // A name that one tree sets may be used in another.
    const named = sheets.size > 1 ? new Set([...attached, ...namesUsed(sheets)]) : attached;
    const make = (applied: readonly AppliedSheet[]): Styles => new Styles(applied, page, screen, named, of);
    const plain = make([]);
    for (const [host, applied] of sheets) {
      if (!host) {
        this.#trees.set(host, { inner: make(applied), host: undefined, slotted: undefined });
        continue;
      }
      const part = (take: (selector: string) => string | undefined): readonly AppliedSheet[] =>
        applied.map((each) => ({ ...each, sheet: partOf(each.sheet, take) }));
      const hasRules = (list: readonly AppliedSheet[]): boolean =>
        list.some(({ sheet }) => sheet.rules.length > 0);
      const [ofHost, ofSlotted] = [part(hostOf), part(slottedOf)];
      this.#trees.set(host, {
        inner: make(part(innerOf)),
        host: hasRules(ofHost) ? make(ofHost) : undefined,
        slotted: hasRules(ofSlotted) ? make(ofSlotted) : undefined,
      });
    }
    this.#plain = plain;
  }

  of(element: Element): OwnStyles {
    const own = (this.#trees.get(element.scope)?.inner ?? this.#plain).of(element);
    // What the tree around says of it comes before what its own tree does.
    fill(own, this.#trees.get(element)?.host, element);
    if (element.parent && element.parent !== element.scope)
      fill(own, this.#trees.get(element.parent)?.slotted, element);
    return own;
  }
}

const namesUsed = (sheets: SheetsByTree): string[] =>
  [...sheets.values()].flatMap((applied) =>
    applied.flatMap(({ sheet }) =>
      sheet.rules.flatMap(({ declarations }) => declarations.flatMap(({ names }) => names)),
    ),
  );

function fill({ winners }: OwnStyles, styles: Styles | undefined, element: Element): void {
  if (!styles) return;
  for (const [property, candidate] of styles.of(element).winners)
    if (!winners.has(property) && !candidate.isAttached) winners.set(property, candidate);
}

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
