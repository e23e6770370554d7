/** A page's tree by a scan of its text, several times faster than by parsing it; nothing where a scan cannot tell. */
import { decodeHTML } from 'entities';
import { OpenElements } from './open-elements.js';
import { scanInto, type PageSink } from './scan-page.js';
import type { ScannedElement } from './scanned-element.js';
import type { Tag } from './elements.js';
import type { Element } from './element.js';

interface Growing extends Element {
  attributes: ReadonlyMap<string, string>;
  text: string;
  line?: number;
}

const NONE: ReadonlyMap<string, string> = new Map();
const RAW = new Set(['script', 'style', 'textarea', 'title', 'iframe']);

/** @returns the elements in the order of the text; undefined where only parsing can tell */
export function scanTree(html: string, withLines = false): Element[] | undefined {
  const tree = new GrowingTree(withLines);
  return scanInto(html, tree, tree.open) && tree.finish();
}

/** Tells the tree of every element that opens and closes, also of those that no tag names. */
class OpenInTree extends OpenElements {
  readonly #tree: GrowingTree;

  constructor(tree: GrowingTree) {
    super();
    this.#tree = tree;
  }

  protected override opened(tag: Tag): void {
    this.#tree.opened(tag.name);
  }

  protected override closed(): void {
    this.#tree.closed();
  }
}

class GrowingTree implements PageSink {
  readonly isWhole = true;
  empty = false;
  readonly open = new OpenInTree(this);
  readonly #elements: Growing[] = [];
  readonly #stack: Growing[] = [];
  readonly #root: Growing;
  readonly #head: Growing;
  #body: Growing | undefined;
  /** Opened by the tag at hand. */
  #just: Growing | undefined;
  #isInBody = false;

  readonly #withLines: boolean;

  constructor(withLines: boolean) {
    this.#withLines = withLines;
    this.#root = this.#add('html', undefined);
    this.#head = this.#add('head', this.#root);
  }

  finish(): Element[] {
    this.#ensureBody();
    return this.#elements;
  }

  comment(): void {
    // Comments ask for nothing.
  }

  enters(isInBody: boolean): void {
    this.#isInBody = isInBody;
  }

  characters(text: string): void {
    // White space alone begins no body.
    const top = this.#stack.at(-1) ?? (/\S/.test(text) ? this.#ensureBody() : this.#body);
    if (top) top.text += text.includes('&') ? decodeHTML(text) : text;
  }

  element(element: ScannedElement): void {
    const { name } = element;
    const made = this.#place(name);
    this.#just = undefined;
    made.attributes = element.hasAttributes ? element.all() : NONE;
    if (this.#withLines) made.line = element.line('');
    if (RAW.has(name) && !element.isSvg)
      made.text = name === 'textarea' ? decodeHTML(element.text()) : element.text();
  }

  #place(name: string): Growing {
    if (name === 'html' && this.#stack.length === 0) return this.#root;
    if (name === 'head' && this.#stack.length === 0) return this.#head;
    if (name === 'body' && this.#stack.length === 0) return this.#ensureBody();
    if (this.#just?.name === name) return this.#just;
    return this.#add(name, this.#top());
  }

  opened(name: string): void {
    const element = this.#add(name, this.#top());
    this.#stack.push(element);
    this.#just = element;
  }

  closed(): void {
    this.#stack.pop();
  }

  #top(): Growing {
    return this.#stack.at(-1) ?? (this.#isInBody ? this.#ensureBody() : this.#head);
  }

  #ensureBody(): Growing {
    return (this.#body ??= this.#add('body', this.#root));
  }

  #add(name: string, parent: Growing | undefined): Growing {
    const element = make(name, parent);
    parent?.children.push(element);
    this.#elements.push(element);
    return element;
  }
}

const make = (name: string, parent: Element | undefined): Growing => ({
  name,
  attributes: NONE,
  parent,
  children: [],
  text: '',
});
