/** An element of a page, with what decides what it loads: attributes, text, and what stands in what. */
export interface Element {
  /** Lower case. */
  readonly name: string;
  readonly attributes: ReadonlyMap<string, string>;
  readonly parent: Element | undefined;
  readonly children: Element[];
  /** The host of the shadow tree that it stands in; its parent is the host where it stands at the top of that. */
  readonly scope?: Element;
  /** The elements at the top of its shadow tree, where it has one. */
  shadow?: Element[];
  /** What stands right in it, not in its children. */
  readonly text: string;
  /** Where its tag begins, from 1; absent where nobody asked for it, or no tag names it. */
  readonly line?: number;
}
