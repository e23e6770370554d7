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
  const stack: { node: Tree.ChildNode; parent: Element | undefined; scope: Element | undefined }[] = [];
  const pushChildren = (
    node: Tree.ParentNode,
    parent: Element | undefined,
    scope: Element | undefined,
  ): void => {
    for (let at = node.childNodes.length - 1; at >= 0; at--) {
      const child = node.childNodes[at];
      if (child) stack.push({ node: child, parent, scope });
    }
  };
  pushChildren(document, undefined, undefined);
  for (let next = stack.pop(); next; next = stack.pop()) {
    const { node, parent, scope } = next;
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
      ...(scope ? { scope } : {}),
      ...(node.sourceCodeLocation ? { line: node.sourceCodeLocation.startLine } : {}),
    };
    // What stands at the top of a shadow tree is none of its host's children.
    if (scope && parent === scope) (scope.shadow ??= []).push(element);
    else parent?.children.push(element);
    elements.push(element);
    // What stands in a template is no part of the page: its children hang on its content.
    pushChildren(node, element, scope);
    // Unless it declares a shadow tree; one that may not stand there is asked for all the same.
    if (
      parent &&
      element.name === 'template' &&
      /^(?:open|closed)$/i.test(element.attributes.get('shadowrootmode') ?? '')
    )
      pushChildren((node as Tree.Template).content, parent, parent);
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
  // Selectors end at the top of their own tree.
  getParent: ({ parent, scope }) => (parent === scope ? null : (parent ?? null)),
  getSiblings(element) {
    const { parent, scope } = element;
    if (!parent) return [element];
    return parent === scope ? (parent.shadow ?? []) : parent.children;
  },
  getText: ({ text }) => text,
  hasAttrib: ({ attributes }, name) => attributes.has(name),
  removeSubsets: (nodes) => nodes,
};
