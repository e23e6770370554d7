/**
 * References in HTML by a scan of its text, several times faster than by a tree. It gives what `readPage` gives, to the
 * letter, or nothing: where a browser would rearrange what is written, the page is left to the tree.
 */
import { decodeHTML } from 'entities';
import { html, parse } from 'parse5';
import { OpenElements } from './open-elements.js';
import { PageReader } from './page-reader.js';
import type { Reading } from '../reading.js';
import { ScannedElement, NEEDS_FULL_PARSE } from './scanned-element.js';
import type { Tag } from './elements.js';

/** @returns undefined where only a tree can tell */
export function scanPage(text: string): Reading | undefined {
  const reader = new PageReader();
  const mode = scanInto(text, reader, new OpenElements());
  return mode && reader.finish(mode === 'quirks');
}

/** Is told of what is met, in the order of the text. */
export interface PageSink {
  /** Whether nothing that shows was met yet. */
  empty: boolean;
  /** Whether every element and every text is to be told of, as where scripts run. */
  readonly isWhole?: boolean;
  /** @param parent the name of the element that it stands in */
  element(element: ScannedElement, parent: string): void;
  comment(data: string, line: () => number): void;
  /** An element begins in the head or in the body. */
  enters?(isInBody: boolean): void;
  /** Text that stands in the element that is open. */
  characters?(text: string): void;
}

/** @returns in which mode a browser shows it; undefined where only a tree can tell, and what was told counts for nothing */
export function scanInto(
  text: string,
  sink: PageSink,
  open: OpenElements,
): 'quirks' | 'standards' | undefined {
  // What browsers replace or drop shifts everything behind it.
  if (text.includes('\0') || (text.includes('\r') && /\r(?!\n)/.test(text))) return undefined;
  try {
    return new PageScan(text, sink, open).read() ? 'quirks' : 'standards';
  } catch (error) {
    if (error === NEEDS_FULL_PARSE) return undefined;
    throw error;
  }
}

const [BANG, SLASH, MORE, QUESTION] = [33, 47, 62, 63];
const isLetter = (code: number): boolean => (code | 32) >= 97 && (code | 32) <= 122;

/** `before` a head, in it, behind it, in the body. */
type Part = 'before' | 'head' | 'after' | 'body';

class PageScan {
  readonly #text: string;
  readonly #reader: PageSink;
  readonly #open: OpenElements;
  readonly #element: ScannedElement;
  #at = 0;
  #part: Part = 'before';
  #quirks: boolean | undefined;
  /** Whether `<html>` was there. */
  #isRooted = false;
  /** Whether the body has ended. */
  #isEnded = false;

  constructor(text: string, sink: PageSink, open: OpenElements) {
    this.#text = text;
    this.#reader = sink;
    this.#open = open;
    this.#element = new ScannedElement(text, sink.isWhole);
  }

  /** @returns whether it is shown in quirks mode */
  read(): boolean {
    const text = this.#text;
    while (this.#at < text.length) {
      let next = text.indexOf('<', this.#at);
      if (next < 0) next = text.length;
      if (next > this.#at) this.characters(this.#at, next);
      this.#at = next;
      if (next < text.length) this.markup();
    }
    return this.#quirks ?? true;
  }

  /** Something else than a comment or a doctype has come. */
  private settleMode(): void {
    if (this.#quirks !== undefined) return;
    this.#quirks = true;
    this.#open.tablesClose = false;
  }

  private characters(from: number, to: number): void {
    const { empty } = this.#reader;
    if (!empty && !this.#reader.isWhole && this.#part === 'body' && !this.#open.inTable) return;
    const text = this.#text.slice(from, to);
    this.#reader.characters?.(text);
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
    if (this.#open.inTable || (this.#part === 'head' && this.#open.top)) throw NEEDS_FULL_PARSE;
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
    this.#reader.characters?.('<');
    if (this.#open.count('noscript') === 0) this.#reader.empty = false;
    this.#at++;
  }

  private declaration(): void {
    const text = this.#text;
    const from = this.#at + 2;
    if (text.startsWith('--', from)) return this.comment(from + 2);
    const word = text.slice(from, from + 7);
    if (/^doctype$/i.test(word)) return this.doctype();
    if (word === '[CDATA[' && this.#open.inSvg) throw NEEDS_FULL_PARSE;
    this.bogusComment(from);
  }

  private comment(from: number): void {
    const text = this.#text;
    if (text.startsWith('>', from) || text.startsWith('->', from)) throw NEEDS_FULL_PARSE;
    const end = text.indexOf('-->', from);
    if (end < 0) throw NEEDS_FULL_PARSE;
    const data = text.slice(from, end);
    if (data.includes('--!>')) throw NEEDS_FULL_PARSE;
    this.tellComment(data);
    this.#at = end + 3;
  }

  private bogusComment(from: number): void {
    const end = this.#text.indexOf('>', from);
    if (end < 0) throw NEEDS_FULL_PARSE;
    this.tellComment(this.#text.slice(from, end));
    this.#at = end + 1;
  }

  private tellComment(data: string): void {
    const at = this.#at;
    this.#reader.comment(data, () => {
      // Behind the body comments stand at the end of the tree, whatever comes after them.
      if (this.#isEnded) throw NEEDS_FULL_PARSE;
      return this.#element.lineAt(at);
    });
  }

  private doctype(): void {
    const end = this.#text.indexOf('>', this.#at);
    if (end < 0) throw NEEDS_FULL_PARSE;
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
    this.#reader.enters?.(this.#part === 'body');
    const parent = this.#open.top?.name ?? 'body';
    const inSvg = this.#open.inSvg;
    if (!this.#open.start(tag, element.selfClosing)) throw NEEDS_FULL_PARSE;
    // Where scripts run, `noscript` holds text.
    const isUnscripted = this.#reader.isWhole === true && tag.name === 'noscript' && !inSvg;
    if (isUnscripted) this.#open.pop();
    const isRaw = (tag.kind === 'raw' && !inSvg) || isUnscripted;
    if (isRaw) element.findText(tag.name);
    element.isSvg = inSvg || tag.kind === 'svg';
    if (tag.isRead || element.hasIdOrStyle || this.#reader.isWhole) this.#reader.element(element, parent);
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
    if (name === 'script' && this.#text.slice(textFrom, textTo).includes('<!--')) throw NEEDS_FULL_PARSE;
    this.#element.parse(textTo + 1);
    this.#at = this.#element.end;
  }

  /** Which part of the document an element begins. */
  private enter(tag: Tag): void {
    if (this.#part === 'body') return;
    if (this.#part === 'head' && this.#open.top) {
      // Scripting is off, so `noscript` may hold these alone.
      if (tag.name !== 'link' && tag.name !== 'meta' && tag.name !== 'style') throw NEEDS_FULL_PARSE;
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
    if (!isFirst) throw NEEDS_FULL_PARSE;
    if (tag.name === 'html') this.#isRooted = true;
    else this.#part = tag.name === 'head' ? 'head' : 'body';
    this.#element.isSvg = false;
    if (tag.isRead || this.#element.hasIdOrStyle || this.#reader.isWhole)
      this.#reader.element(this.#element, 'html');
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
    if (!isLetter(text.charCodeAt(from))) throw NEEDS_FULL_PARSE;
    const tag = this.#element.parse(this.#at + 1);
    this.#at = this.#element.end;
    if (this.#part !== 'body') {
      if (tag.name === 'head' && this.#part === 'head' && !top) this.#part = 'after';
      else if (!top || !this.#open.end(tag)) throw NEEDS_FULL_PARSE;
    } else if (tag.name === 'body' || tag.name === 'html') this.#isEnded = true;
    else if (!this.#open.end(tag)) throw NEEDS_FULL_PARSE;
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
