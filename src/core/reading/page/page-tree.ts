/** A page as a tree of elements, with what decides what it loads: attributes, text, and what stands in what. */
import { parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import type { Options } from 'css-select';
import type { Element } from './element.js';
import { scanTree } from './scan-tree.js';

/**
 * Elements in the order of the text, the root first. A hostile page may nest as deep as it likes.
 * @param withLines whether it is to be said where each stands
 */
export const readTree = (html: string, withLines = false): Element[] =>
  scanTree(html, withLines) ?? parseTree(html, withLines);

/** The same by parsing, whatever the page is. */
export function parseTree(html: string, withLines = false): Element[] {
  const document = parse(html, { scriptingEnabled: true, sourceCodeLocationInfo: withLines });
  const elements: Element[] = [];
  const stack: { node: Tree.ChildNode; parent: Element | undefined }[] = [];
  const pushChildren = (node: Tree.ParentNode, parent: Element | undefined): void => {
    for (let at = node.childNodes.length - 1; at >= 0; at--) {
      const child = node.childNodes[at];
      if (child) stack.push({ node: child, parent });
    }
  };
  pushChildren(document, undefined);
  for (let next = stack.pop(); next; next = stack.pop()) {
    const { node, parent } = next;
    if (!('attrs' in node)) continue;
    const text = node.childNodes.map((each) =>
      each.nodeName === '#text' ? (each as Tree.TextNode).value : '',
    );
    const element: Element = {
      name: node.tagName.toLowerCase(),
      // In SVG `xlink:href` is an `href`.
      attributes: new Map(node.attrs.map(({ name, value }) => [name.toLowerCase(), value])),
      parent,
      children: [],
      text: text.join(''),
      ...(node.sourceCodeLocation ? { line: node.sourceCodeLocation.startLine } : {}),
    };
    parent?.children.push(element);
    elements.push(element);
    // What stands in a template is no part of the page: its children hang on its content.
    pushChildren(node, element);
  }
  return elements;
}

/** How selectors are matched against such a tree. */
type Adapter = NonNullable<Options<Element, Element>['adapter']>;

export const ADAPTER: Adapter = {
  isTag: (node): node is Element => node !== undefined,
  getAttributeValue: ({ attributes }, name) => attributes.get(name),
  getChildren: ({ children }) => children,
  getName: ({ name }) => name,
  getParent: ({ parent }) => parent ?? null,
  getSiblings: (element) => element.parent?.children ?? [element],
  getText: ({ text }) => text,
  hasAttrib: ({ attributes }, name) => attributes.has(name),
  removeSubsets: (nodes) => nodes,
};
