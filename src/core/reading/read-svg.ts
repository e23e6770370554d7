/**
 * References in SVG by the rules of XML, with the places of what is written. A text that is no well-formed XML, has entities
 * of its own or moves its base has none that could be told for certain.
 */
import { decodeXML } from 'entities';
import { SaxesParser } from 'saxes';
import { lineCounter } from './lines.js';
import { readStyleText } from './read-style.js';
import { NOWHERE, type Reading, type Reference, type Span, type Use } from './reading.js';

const LINKS = new Set(['a', 'area']);
/** What an address in an attribute is for; undefined for any other attribute. */
export function svgUse(element: string, attribute: string): Use | undefined {
  if (attribute !== 'href' && attribute !== 'xlink:href' && attribute !== 'src') return undefined;
  const name = element.toLowerCase().replace(/^.*:/, '');
  if (LINKS.has(name)) return 'link';
  return name === 'script' ? 'script' : 'image';
}

/** Whether an attribute holds declarations of CSS, or the value of one. */
export const isStyled = (attribute: string, value: string): boolean =>
  attribute === 'style' || (/url\(/i.test(value) && !/^(?:xlink:)?href$|^src$|:/.test(attribute));

/** What makes a reading of places unsure. */
const UNSURE = /<!ENTITY|<!DOCTYPE[^<>[]*\[|\sxml:base\s*=/i;

const isWellFormed = (text: string): boolean => {
  let isGood = true;
  const parser = new SaxesParser();
  parser.on('error', () => (isGood = false));
  try {
    parser.write(text.replace(/^\uFEFF/, '')).close();
  } catch {
    return false;
  }
  return isGood;
};

const STYLE_SHEET = /^xml-stylesheet\s/;

/** A piece of markup: what it is, and where its inside begins and ends. */
interface Markup {
  readonly kind: 'tag' | 'end' | 'data' | 'instruction' | 'other';
  readonly from: number;
  readonly to: number;
  /** Behind all of it. */
  readonly end: number;
}

const ENCLOSED: readonly (readonly [opens: string, closes: string, kind: Markup['kind']])[] = [
  ['<!--', '-->', 'other'],
  ['<![CDATA[', ']]>', 'data'],
  ['<?', '?>', 'instruction'],
  ['<!', '>', 'other'],
  ['</', '>', 'end'],
];

/** The markup of a text that is well-formed, in one pass. */
function* listMarkup(text: string): Generator<Markup> {
  for (let at = text.indexOf('<'); at >= 0;) {
    const enclosed = ENCLOSED.find(([opens]) => text.startsWith(opens, at));
    const from = at + (enclosed?.[0].length ?? 1);
    const closes = enclosed ? text.indexOf(enclosed[1], from) : endOfTag(text, from);
    const to = closes < 0 ? text.length : closes;
    const end = to + (enclosed?.[1].length ?? 1);
    yield { kind: enclosed?.[2] ?? 'tag', from, to, end };
    at = text.indexOf('<', end);
  }
}

/** Where the `>` of a tag stands: one in quotes is none. */
function endOfTag(text: string, from: number): number {
  let at = from;
  for (let letter = text[at]; letter !== undefined && letter !== '>'; letter = text[++at])
    if (letter === '"' || letter === "'") {
      at = text.indexOf(letter, at + 1);
      if (at < 0) return -1;
    }
  return at;
}

/** Attributes between two places of a text that is well-formed, with where their values begin and end. */
function* listAttributes(
  text: string,
  from: number,
  to: number,
): Generator<{ readonly name: string; readonly at: number; readonly end: number }> {
  let at = from;
  const skip = (isSkipped: (letter: string) => boolean): void => {
    while (at < to && isSkipped(text.charAt(at))) at++;
  };
  for (;;) {
    skip((letter) => isSpace(letter) || letter === '/');
    const begins = at;
    skip((letter) => !isSpace(letter) && letter !== '=');
    const name = text.slice(begins, at);
    skip((letter) => isSpace(letter) || letter === '=');
    if (at >= to) return;
    const end = text.indexOf(text.charAt(at), at + 1);
    if (end < 0) return;
    yield { name, at: at + 1, end };
    at = end + 1;
  }
}

const isSpace = (letter: string): boolean =>
  letter === ' ' || letter === '\n' || letter === '\t' || letter === '\r';

export function readSvg(text: string): Reading {
  if (UNSURE.test(text) || !isWellFormed(text)) return { kind: 'svg', references: [] };
  return { kind: 'svg', references: new SvgReader(text).read() };
}

class SvgReader {
  readonly #text: string;
  readonly #references: Reference[] = [];
  readonly #lineOf: (at: number) => number;
  /** Where the text of the style that is open begins; -1 outside of one. */
  #styleFrom = -1;

  constructor(text: string) {
    this.#text = text;
    this.#lineOf = lineCounter(text);
  }

  read(): Reference[] {
    const text = this.#text;
    for (const { kind, from, to, end } of listMarkup(text)) {
      const inside = text.slice(from, to);
      if (kind === 'instruction' && STYLE_SHEET.test(inside)) this.#attributes('?', from, to);
      if (this.#styleFrom >= 0 && kind !== 'other' && kind !== 'instruction') {
        this.#style(this.#styleFrom, from - (kind === 'data' ? '<![CDATA['.length : kind === 'end' ? 2 : 1));
        if (kind === 'data') this.#style(from, to, true);
        this.#styleFrom = kind === 'data' ? end : -1;
      }
      if (kind !== 'tag') continue;
      const name = /^[^\s/]+/.exec(inside)?.[0] ?? '';
      const isStyle = name.toLowerCase().replace(/^.*:/, '') === 'style';
      if (isStyle && !inside.endsWith('/')) this.#styleFrom = end;
      this.#attributes(name, from + name.length, to);
    }
    return this.#references;
  }

  /** @param element `?` for an instruction that names a style */
  #attributes(element: string, from: number, to: number): void {
    const begin = element === '?' ? from + 'xml-stylesheet'.length : from;
    for (const { name, at, end } of listAttributes(this.#text, begin, to)) {
      const inner = this.#text.slice(at, end);
      const use = element === '?' ? (name === 'href' ? 'style' : undefined) : svgUse(element, name);
      if (use) this.#address(use, inner, at);
      else if (element !== '?' && isStyled(name, inner)) this.#declarations(name, inner, at);
    }
  }

  #address(use: Use, written: string, at: number): void {
    const raw = written.includes('&') ? decodeXML(written) : written;
    const span: Span =
      raw === written ? { at, length: raw.length } : { at, length: written.length, escaping: 'xml' };
    this.#references.push({ use, raw, line: this.#lineOf(at), ...span });
  }

  #declarations(attribute: string, written: string, at: number): void {
    const before = attribute === 'style' ? '' : 'fill:';
    const value = written.includes('&') ? decodeXML(written) : written;
    const line = this.#lineOf(at);
    const offset = value === written ? at - before.length : -1;
    for (const each of readStyleText(before + value, line, 'declarations', offset === -1 ? -1 : 0))
      this.#references.push(
        each.at < 0 || offset === -1 ? { ...each, ...NOWHERE } : { ...each, at: each.at + offset },
      );
  }

  /** @param isData whether it stands as it is, without character references */
  #style(from: number, to: number, isData = false): void {
    const text = this.#text.slice(from, to);
    const isPlain = isData || !text.includes('&');
    const css = isPlain ? text : decodeXML(text);
    this.#references.push(...readStyleText(css, this.#lineOf(from), 'sheet', isPlain ? from : -1));
  }
}
