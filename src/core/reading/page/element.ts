/** An element of a page, with what decides what it loads: attributes, text, and what stands in what. */
export interface Element {
  /** Lower case. */
  readonly name: string;
  readonly attributes: ReadonlyMap<string, string>;
  readonly parent: Element | undefined;
  readonly children: Element[];
  /** What stands right in it, not in its children. */
  readonly text: string;
  /** Where its tag begins, from 1; absent where nobody asked for it, or no tag names it. */
  readonly line?: number;
}
