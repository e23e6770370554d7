/** References in HTML by way of a tree: whatever a page is, a browser would build the same. */
import { html, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { LEAN_TREE, type Marked } from './lean-tree.js';
import { tagOf } from './elements.js';
import { PageReader, type PageElement } from './page-reader.js';
import type { Reading } from '../reading.js';

class TreeElement implements PageElement {
  readonly name: string;
  readonly #source: string;
  readonly #element: Tree.Element;
  readonly #attributes = new Map<string, { readonly value: string; readonly written: string }>();

  constructor(element: Tree.Element, source: string) {
    this.#element = element;
    this.#source = source;
    this.name = element.tagName.toLowerCase();
    // In SVG `xlink:href` is an `href`; the last of both counts.
    for (const { name, value, prefix } of element.attrs) {
      const isPlain = prefix === undefined || prefix === '';
      this.#attributes.set(isPlain ? name : name.replace(/^.*:/, ''), {
        value,
        written: isPlain ? name : `${prefix}:${name}`,
      });
    }
  }

  get hasAttributes(): boolean {
    return this.#element.attrs.length > 0;
  }

  attribute(name: string): string | undefined {
    return this.#attributes.get(name)?.value;
  }

  line(attribute: string): number {
    const places = this.#element.sourceCodeLocation;
    return places?.attrs?.[attribute]?.startLine ?? places?.startLine ?? 1;
  }

  place(attribute: string): { readonly at: number; readonly written: string } | undefined {
    const name = this.#attributes.get(attribute)?.written ?? attribute;
    const place = this.#element.sourceCodeLocation?.attrs?.[name];
    if (!place) return undefined;
    const text = this.#source.slice(place.startOffset, place.endOffset);
    const [, before = text, quote = ''] = /^([^=]*=[\t\n\f\r ]*)(["']?)/.exec(text) ?? [];
    const from = before.length + quote.length;
    return { at: place.startOffset + from, written: text.slice(from, text.length - quote.length) };
  }

  text(): string {
    return this.#element.childNodes
      .map((node) => (node.nodeName === '#text' ? (node as Tree.TextNode).value : ''))
      .join('');
  }

  textAt(): number {
    const at = this.#element.sourceCodeLocation?.startTag?.endOffset ?? -1;
    const text = this.text();
    return at >= 0 && this.#source.startsWith(text, at) ? at : -1;
  }

  lastLine(): number {
    return this.#element.sourceCodeLocation?.startTag?.endLine ?? 1;
  }
}

/** Walks without recursion: a hostile page may nest as deep as it likes. */
function readTree(document: Tree.Document, source: string, reader: PageReader): void {
  const stack: { node: Tree.Node; hidden: boolean; parent: string }[] = [
    { node: document, hidden: false, parent: '' },
  ];
  for (let next = stack.pop(); next; next = stack.pop()) {
    const { node, hidden, parent } = next;
    if (node.nodeName === '#comment') {
      const { data, sourceCodeLocation } = node as Tree.CommentNode;
      reader.comment(data, () => sourceCodeLocation?.startLine ?? 1);
      continue;
    }
    const element = 'attrs' in node ? node : undefined;
    if (element) reader.element(new TreeElement(element, source), parent);
    const content = node.nodeName === 'template' ? (node as Tree.Template).content : node;
    if (!('childNodes' in content)) continue;
    const inside = hidden || (element !== undefined && tagOf(element.tagName).has('hides'));
    if (reader.empty && !inside && (content as Marked).shows) reader.empty = false;
    const name = element?.tagName ?? parent;
    for (let at = content.childNodes.length - 1; at >= 0; at--) {
      const child = content.childNodes[at];
      if (child) stack.push({ node: child, hidden: inside, parent: name });
    }
  }
}

/** @param withPlaces whether it is to be known where everything is written, which takes half as long again */
export function readPage(text: string, withPlaces = true): Reading {
  const document = parse(text, {
    sourceCodeLocationInfo: withPlaces,
    scriptingEnabled: false,
    treeAdapter: LEAN_TREE,
  });
  const reader = new PageReader();
  readTree(document, text, reader);
  return reader.finish(document.mode === html.DOCUMENT_MODE.QUIRKS);
}
