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
const UNSURE = /<!ENTITY|<!DOCTYPE[^>]*\[|\sxml:base\s*=/i;

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

/** Of well-formed XML: what is no tag, and tags with their attributes. */
const PARTS =
  /<!--[^]*?-->|<!\[CDATA\[([^]*?)\]\]>|<\?([^]*?)\?>|<![^>]*>|<(\/?)([^\s/>]+)((?:[^>"']|"[^"]*"|'[^']*')*)>/g;
const ATTRIBUTES = /([^\s=/]+)\s*=\s*("[^"]*"|'[^']*')/g;
const STYLE_SHEET = /^xml-stylesheet\s[^]*?\bhref\s*=\s*("[^"]*"|'[^']*')/;

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
    for (const part of this.#text.matchAll(PARTS)) {
      const [whole, data, instruction, closes, name = '', attributes = ''] = part;
      if (this.#styleFrom >= 0 && (name !== '' || data !== undefined))
        this.#style(this.#styleFrom, part.index);
      if (data !== undefined && this.#styleFrom >= 0)
        this.#style(part.index + 9, part.index + 9 + data.length, true);
      if (data !== undefined && this.#styleFrom >= 0) this.#styleFrom = part.index + whole.length;
      if (instruction !== undefined) this.#instruction(instruction, part.index + 2);
      if (name === '') continue;
      const isStyle = name.toLowerCase().replace(/^.*:/, '') === 'style';
      this.#styleFrom =
        isStyle && closes === '' && !attributes.endsWith('/') ? part.index + whole.length : -1;
      if (closes === '') this.#attributes(name, attributes, part.index + 1 + name.length);
    }
    return this.#references;
  }

  #attributes(element: string, written: string, from: number): void {
    for (const found of written.matchAll(ATTRIBUTES)) {
      const [whole, attribute = '', quoted = ''] = found;
      const inner = quoted.slice(1, -1);
      const at = from + found.index + whole.length - quoted.length + 1;
      const use = svgUse(element, attribute);
      if (use) this.#address(use, inner, at);
      else if (isStyled(attribute, inner)) this.#declarations(attribute, inner, at);
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

  #instruction(text: string, from: number): void {
    const found = STYLE_SHEET.exec(text);
    const [whole = '', quoted = ''] = found ?? [];
    if (found)
      this.#address('style', quoted.slice(1, -1), from + found.index + whole.length - quoted.length + 1);
  }
}
