/** One tag of a page at a time, taken apart as HTML's tokenizer does it (HTML standard, section 13.2.5). */
import { decodeHTMLAttribute } from 'entities';
import type { PageElement } from './page-reader.js';
import { READ_ATTRIBUTES, tagOf, type Tag } from './elements.js';

/** Thrown where only a tree can tell. */
export const NEEDS_FULL_PARSE = Symbol('unsure');

const [TAB, LINE_FEED, FORM_FEED, RETURN, SPACE] = [9, 10, 12, 13, 32];
const [QUOTE, APOSTROPHE, SLASH, EQUALS, MORE] = [34, 39, 47, 61, 62];

const isSpace = (code: number): boolean =>
  code === SPACE || code === LINE_FEED || code === TAB || code === RETURN || code === FORM_FEED;

/** In SVG these are what they are without their prefix. */
const LINKED = new Set(['xlink:href', 'xlink:type']);

/** The element at hand: one object for all of a page. */
export class ScannedElement implements PageElement {
  readonly #text: string;
  name = '';
  hasAttributes = false;
  hasIdOrStyle = false;
  selfClosing = false;
  isSvg = false;
  /** Behind the `>`. */
  end = 0;
  textFrom = 0;
  textTo = 0;
  #from = 0;
  readonly #names: string[] = [];
  /** For each name: where it begins, where its value does, where that ends. */
  readonly #places: number[] = [];
  #line = 1;
  /** Where the line of the last position begins, and where it ends. */
  #lineFrom = 0;
  #lineTo: number;

  readonly #isWhole: boolean;

  /** @param isWhole whether every attribute is kept, and not those alone that a reading asks for */
  constructor(text: string, isWhole = false) {
    this.#text = text;
    this.#isWhole = isWhole;
    this.#lineTo = this.nextBreak(0);
  }

  /** @param at where the `<` stands, or the `/` of an end tag; a letter follows */
  parse(at: number): Tag {
    const text = this.#text;
    this.#from = at;
    this.hasAttributes = false;
    this.hasIdOrStyle = false;
    this.selfClosing = false;
    this.#names.length = 0;
    this.#places.length = 0;
    let to = at + 1;
    for (;;) {
      const code = text.charCodeAt(to);
      if (code === MORE || code === SLASH || isSpace(code)) break;
      if (!(code < 128)) throw NEEDS_FULL_PARSE;
      to++;
    }
    const written = text.slice(at + 1, to);
    const tag = tagOf(/[A-Z]/.test(written) ? written.toLowerCase() : written);
    this.name = tag.name;
    if (text.charCodeAt(to) === MORE) this.end = to + 1;
    else this.attributes(to);
    return tag;
  }

  private attributes(from: number): void {
    const text = this.#text;
    let at = from;
    for (;;) {
      let code = text.charCodeAt(at);
      while (isSpace(code)) code = text.charCodeAt(++at);
      if (code === MORE) break;
      if (code === SLASH) {
        this.selfClosing = text.charCodeAt(at + 1) === MORE;
        at++;
        continue;
      }
      const name = at;
      // The first letter belongs to the name even where it is an equals sign.
      do {
        if (!(code < 128)) throw NEEDS_FULL_PARSE;
        code = text.charCodeAt(++at);
      } while (code !== EQUALS && code !== MORE && code !== SLASH && !isSpace(code));
      const nameEnd = at;
      while (isSpace(code)) code = text.charCodeAt(++at);
      let [value, valueEnd] = [nameEnd, nameEnd];
      if (code === EQUALS) {
        code = text.charCodeAt(++at);
        while (isSpace(code)) code = text.charCodeAt(++at);
        if (code === QUOTE || code === APOSTROPHE) {
          value = at + 1;
          valueEnd = text.indexOf(code === QUOTE ? '"' : "'", value);
          if (valueEnd < 0) throw NEEDS_FULL_PARSE;
          at = valueEnd + 1;
        } else {
          value = at;
          while (!isSpace(code) && code !== MORE) {
            if (Number.isNaN(code)) throw NEEDS_FULL_PARSE;
            code = text.charCodeAt(++at);
          }
          valueEnd = at;
        }
      }
      this.addAttribute(name, nameEnd, value, valueEnd);
    }
    this.end = at + 1;
  }

  private addAttribute(from: number, to: number, value: number, valueEnd: number): void {
    this.hasAttributes = true;
    const written = this.#text.slice(from, to);
    if (written === 'class' && !this.#isWhole) return;
    const name = /[A-Z]/.test(written) ? written.toLowerCase() : written;
    if (name === 'id' || name === 'style') this.hasIdOrStyle = true;
    else if (!this.#isWhole && !READ_ATTRIBUTES.has(name) && !LINKED.has(name)) return;
    // Of two of a name the first counts.
    if (this.#names.includes(name)) return;
    this.#names.push(name);
    this.#places.push(from, value, valueEnd);
  }

  /** In SVG `xlink:href` is an `href`; the last of both counts. */
  private find(name: string): number {
    const at = this.#names.indexOf(name);
    const linked = this.#names.indexOf(`xlink:${name}`);
    if (linked < 0 || !this.isSvg) return at;
    return Math.max(at, linked);
  }

  /** All that was kept. */
  all(): Map<string, string> {
    const all = new Map<string, string>();
    for (const [at, name] of this.#names.entries())
      all.set(this.isSvg ? name.replace(/^xlink:/, '') : name, this.valueAt(at));
    return all;
  }

  attribute(name: string): string | undefined {
    const at = this.find(name);
    return at < 0 ? undefined : this.valueAt(at);
  }

  private valueAt(at: number): string {
    const written = this.#text.slice(this.#places[at * 3 + 1], this.#places[at * 3 + 2]);
    const value = written.includes('\r') ? written.replaceAll('\r\n', '\n') : written;
    return value.includes('&') ? decodeHTMLAttribute(value) : value;
  }

  line(attribute: string): number {
    const at = this.#names.indexOf(attribute);
    return this.lineAt(at < 0 ? this.#from : (this.#places[at * 3] ?? 0));
  }

  place(attribute: string): { readonly at: number; readonly written: string } | undefined {
    const found = this.find(attribute);
    if (found < 0) return undefined;
    const at = this.#places[found * 3 + 1] ?? 0;
    return { at, written: this.#text.slice(at, this.#places[found * 3 + 2]) };
  }

  /** Finds where the text of an element ends that holds nothing else. */
  findText(name: string): void {
    const text = this.#text;
    this.textFrom = this.end;
    for (let at = text.indexOf('</', this.end); at >= 0; at = text.indexOf('</', at + 2)) {
      const behind = text.charCodeAt(at + 2 + name.length);
      if (behind !== MORE && behind !== SLASH && !isSpace(behind)) continue;
      if (text.slice(at + 2, at + 2 + name.length).toLowerCase() !== name) continue;
      this.textTo = at;
      return;
    }
    throw NEEDS_FULL_PARSE;
  }

  text(): string {
    const text = this.#text.slice(this.textFrom, this.textTo);
    return text.includes('\r') ? text.replaceAll('\r\n', '\n') : text;
  }

  textAt(): number {
    return this.#text.startsWith(this.text(), this.textFrom) ? this.textFrom : -1;
  }

  lastLine(): number {
    return this.lineAt(this.textFrom);
  }

  /** Asked for in rising order, but for what lies in one tag. */
  lineAt(at: number): number {
    for (; this.#lineTo < at; this.#line++) {
      this.#lineFrom = this.#lineTo + 1;
      this.#lineTo = this.nextBreak(this.#lineFrom);
    }
    let line = this.#line;
    for (let from = this.#lineFrom; from > at; line--)
      from = from < 2 ? 0 : this.#text.lastIndexOf('\n', from - 2) + 1;
    return line;
  }

  private nextBreak(from: number): number {
    const at = this.#text.indexOf('\n', from);
    return at < 0 ? Infinity : at;
  }
}
