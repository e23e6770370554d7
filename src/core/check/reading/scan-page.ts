/**
 * References in HTML by a scan of its text, several times faster than by a tree. It gives what `readPage` gives, to the
 * letter, or nothing: where a browser would rearrange what is written, the page is left to the tree.
 */
import { decodeHTML, decodeHTMLAttribute } from 'entities';
import { html, parse } from 'parse5';
import { OpenElements } from './open-elements.js';
import { PageReader, READ_ATTRIBUTES, type PageElement } from './page-reader.js';
import type { Reading } from './reading.js';
import { tagOf, type Tag } from './tags.js';

/** Thrown inside alone: the page needs a tree. */
const UNSURE = Symbol('unsure');

/** @returns undefined where only a tree can tell */
export function scanPage(text: string): Reading | undefined {
  // What browsers replace or drop shifts everything behind it.
  if (text.includes('\0') || /\r(?!\n)/.test(text)) return undefined;
  try {
    return new PageScan(text).read();
  } catch (error) {
    if (error === UNSURE) return undefined;
    throw error;
  }
}

const [TAB, LINE_FEED, FORM_FEED, RETURN, SPACE] = [9, 10, 12, 13, 32];
const [BANG, QUOTE, APOSTROPHE, SLASH, EQUALS, MORE, QUESTION] = [33, 34, 39, 47, 61, 62, 63];

const isSpace = (code: number): boolean =>
  code === SPACE || code === LINE_FEED || code === TAB || code === RETURN || code === FORM_FEED;
const isLetter = (code: number): boolean => (code | 32) >= 97 && (code | 32) <= 122;

/** `before` a head, in it, behind it, in the body. */
type Part = 'before' | 'head' | 'after' | 'body';

class PageScan {
  readonly #text: string;
  readonly #reader = new PageReader();
  readonly #open = new OpenElements();
  readonly #element: ScannedElement;
  #at = 0;
  #part: Part = 'before';
  #quirks: boolean | undefined;
  /** Whether `<html>` was there. */
  #isRooted = false;
  /** Whether the body has ended. */
  #isEnded = false;

  constructor(text: string) {
    this.#text = text;
    this.#element = new ScannedElement(text);
  }

  read(): Reading {
    const text = this.#text;
    while (this.#at < text.length) {
      let next = text.indexOf('<', this.#at);
      if (next < 0) next = text.length;
      if (next > this.#at) this.characters(this.#at, next);
      this.#at = next;
      if (next < text.length) this.markup();
    }
    return this.#reader.finish(this.#quirks ?? true);
  }

  /** Something else than a comment or a doctype has come. */
  private settleMode(): void {
    if (this.#quirks !== undefined) return;
    this.#quirks = true;
    this.#open.tablesClose = false;
  }

  private characters(from: number, to: number): void {
    const { empty } = this.#reader;
    if (!empty && this.#part === 'body' && !this.#open.inTable) return;
    const text = this.#text.slice(from, to);
    if (/^[\t\n\f\r ]*$/.test(text)) return;
    this.shown();
    if (
      empty &&
      this.#open.count('noscript') === 0 &&
      /\S/.test(text.includes('&') ? decodeHTML(text) : text)
    )
      this.#reader.empty = false;
  }

  /** Text that is no white space begins the body. */
  private shown(): void {
    this.settleMode();
    if (this.#open.inTable || (this.#part === 'head' && this.#open.top)) throw UNSURE;
    this.#part = 'body';
  }

  private markup(): void {
    const text = this.#text;
    const code = text.charCodeAt(this.#at + 1);
    if (isLetter(code)) return this.startTag();
    if (code === SLASH) return this.endTag();
    if (code === BANG) return this.declaration();
    if (code === QUESTION) return this.bogusComment(this.#at + 1);
    this.shown();
    if (this.#open.count('noscript') === 0) this.#reader.empty = false;
    this.#at++;
  }

  private declaration(): void {
    const text = this.#text;
    const from = this.#at + 2;
    if (text.startsWith('--', from)) return this.comment(from + 2);
    const word = text.slice(from, from + 7);
    if (/^doctype$/i.test(word)) return this.doctype();
    if (word === '[CDATA[' && this.#open.inSvg) throw UNSURE;
    this.bogusComment(from);
  }

  private comment(from: number): void {
    const text = this.#text;
    if (text.startsWith('>', from) || text.startsWith('->', from)) throw UNSURE;
    const end = text.indexOf('-->', from);
    if (end < 0) throw UNSURE;
    const data = text.slice(from, end);
    if (data.includes('--!>')) throw UNSURE;
    this.tellComment(data);
    this.#at = end + 3;
  }

  private bogusComment(from: number): void {
    const end = this.#text.indexOf('>', from);
    if (end < 0) throw UNSURE;
    this.tellComment(this.#text.slice(from, end));
    this.#at = end + 1;
  }

  private tellComment(data: string): void {
    const at = this.#at;
    this.#reader.comment(data, () => {
      // Behind the body comments stand at the end of the tree, whatever comes after them.
      if (this.#isEnded) throw UNSURE;
      return this.#element.lineAt(at);
    });
  }

  private doctype(): void {
    const end = this.#text.indexOf('>', this.#at);
    if (end < 0) throw UNSURE;
    // One that comes late says nothing any more.
    if (this.#quirks === undefined) {
      this.#quirks = isQuirky(this.#text.slice(this.#at, end + 1));
      this.#open.tablesClose = !this.#quirks;
    }
    this.#at = end + 1;
  }

  private startTag(): void {
    this.settleMode();
    const element = this.#element;
    const tag = element.parse(this.#at);
    this.#at = element.end;
    if (tag.kind === 'document') return this.documentTag(tag);
    this.enter(tag);
    const parent = this.#open.top?.name ?? 'body';
    const inSvg = this.#open.inSvg;
    if (!this.#open.start(tag, element.selfClosing)) throw UNSURE;
    const isRaw = tag.kind === 'raw' && !inSvg;
    if (isRaw) element.findText(tag.name);
    element.isSvg = inSvg || tag.kind === 'svg';
    if (tag.isRead || element.hasIdOrStyle) this.#reader.element(element, parent);
    if (isRaw) this.rawText(tag);
  }

  /** The text in an element that holds nothing else, and its end tag. */
  private rawText({ name }: Tag): void {
    const { textFrom, textTo } = this.#element;
    if (name === 'textarea' && this.#reader.empty && this.#open.count('noscript') === 0) {
      const text = decodeHTML(this.#text.slice(textFrom, textTo));
      if (/\S/.test(text)) this.#reader.empty = false;
    }
    // An escaped script ends elsewhere.
    if (name === 'script' && this.#text.slice(textFrom, textTo).includes('<!--')) throw UNSURE;
    this.#element.parse(textTo + 1);
    this.#at = this.#element.end;
  }

  /** Which part of the document an element begins. */
  private enter(tag: Tag): void {
    if (this.#part === 'body') return;
    if (this.#part === 'head' && this.#open.top) {
      // Scripting is off, so `noscript` may hold these alone.
      if (tag.name !== 'link' && tag.name !== 'meta' && tag.name !== 'style') throw UNSURE;
      return;
    }
    if (!tag.inHead || (this.#part === 'after' && tag.name === 'noscript')) this.#part = 'body';
    else if (this.#part === 'before') this.#part = 'head';
  }

  private documentTag(tag: Tag): void {
    const isFirst =
      tag.name === 'html'
        ? this.#part === 'before' && !this.#isRooted
        : tag.name === 'head'
          ? this.#part === 'before'
          : this.#part !== 'body' && !this.#open.top;
    if (!isFirst) throw UNSURE;
    if (tag.name === 'html') this.#isRooted = true;
    else this.#part = tag.name === 'head' ? 'head' : 'body';
    this.#element.isSvg = false;
    if (tag.isRead || this.#element.hasIdOrStyle) this.#reader.element(this.#element, 'html');
  }

  private endTag(): void {
    this.settleMode();
    const text = this.#text;
    const from = this.#at + 2;
    const { top } = this.#open;
    if (top && text.startsWith(top.name, from) && text.charCodeAt(from + top.name.length) === MORE) {
      this.#open.pop();
      this.#at = from + top.name.length + 1;
      return;
    }
    if (!isLetter(text.charCodeAt(from))) throw UNSURE;
    const tag = this.#element.parse(this.#at + 1);
    this.#at = this.#element.end;
    if (this.#part !== 'body') {
      if (tag.name === 'head' && this.#part === 'head' && !top) this.#part = 'after';
      else if (!top || !this.#open.end(tag)) throw UNSURE;
    } else if (tag.name === 'body' || tag.name === 'html') this.#isEnded = true;
    else if (!this.#open.end(tag)) throw UNSURE;
  }
}

const QUIRKY = new Map<string, boolean>();

/** What a doctype says of the mode; there are few, and each page has one. */
function isQuirky(doctype: string): boolean {
  let quirky = QUIRKY.get(doctype);
  if (quirky === undefined) {
    quirky = parse(doctype).mode === html.DOCUMENT_MODE.QUIRKS;
    if (QUIRKY.size < 100 && doctype.length < 500) QUIRKY.set(doctype, quirky);
  }
  return quirky;
}

/** In SVG these are what they are without their prefix. */
const LINKED = new Set(['xlink:href', 'xlink:type']);

/** The element at hand: one object for all of a page. */
class ScannedElement implements PageElement {
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

  constructor(text: string) {
    this.#text = text;
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
      if (!(code < 128)) throw UNSURE;
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
        if (!(code < 128)) throw UNSURE;
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
          if (valueEnd < 0) throw UNSURE;
          at = valueEnd + 1;
        } else {
          value = at;
          while (!isSpace(code) && code !== MORE) {
            if (Number.isNaN(code)) throw UNSURE;
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
    if (written === 'class') return;
    const name = /[A-Z]/.test(written) ? written.toLowerCase() : written;
    if (name === 'id' || name === 'style') this.hasIdOrStyle = true;
    else if (!READ_ATTRIBUTES.has(name) && !LINKED.has(name)) return;
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

  attribute(name: string): string | undefined {
    const at = this.find(name);
    if (at < 0) return undefined;
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
    throw UNSURE;
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
