/**
 * A text read by another way than the one by which places in it are found: pages by a tree and not by a scan, those that
 * are XML by a parser of XML.
 */
import { decodeXML } from 'entities';
import { SaxesParser, type SaxesTagPlain } from 'saxes';
import { readObject } from './read-object.js';
import { PageReader, type PageElement } from './page/page-reader.js';
import { readPage } from './page/read-page.js';
import { asHtml, isXhtml } from './page/read-xhtml.js';
import { readStyleText } from './read-style.js';
import { isStyled, svgUse } from './read-svg.js';
import { NOWHERE, type Reading, type ReadingKind, type Reference, type Use } from './reading.js';

/** Of one that nests too deeply the reading has a fault. */
export function readAgain(kind: ReadingKind, text: string): Reading {
  if (kind === 'svg') return readSvgAgain(text);
  if (kind === 'map' || kind === 'model') return readJsonAgain(kind, text);
  if (kind !== 'page') return readObject(kind, text);
  try {
    return (isXhtml(text) ? readXml(text) : undefined) ?? readPage(asHtml(text), false);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { kind, references: [], fault: { because: 'it nests too deeply', line: 1 } };
  }
}

/** Addresses in JSON by its own parser. */
function readJsonAgain(kind: 'map' | 'model', text: string): Reading {
  try {
    const value = JSON.parse(text.replace(/^\)\]\}'[^\n]*|^\uFEFF/, '')) as Record<string, unknown>;
    const isRooted = typeof value['sourceRoot'] === 'string' && value['sourceRoot'] !== '';
    const listOf = (part: unknown): unknown[] => (Array.isArray(part) ? (part as unknown[]) : []);
    const texts = Object.entries(value).flatMap(([name, part]): (readonly [Use, unknown])[] => {
      if (kind === 'map') {
        if (name === 'file') return [['source map', part]];
        return name === 'sources' && !isRooted ? listOf(part).map((each) => ['source map', each]) : [];
      }
      const use = name === 'images' ? 'image' : name === 'buffers' ? 'data' : undefined;
      return use ? listOf(part).map((each) => [use, (each as { uri?: unknown } | null)?.uri]) : [];
    });
    const references = texts.flatMap(([use, raw]): Reference[] =>
      typeof raw === 'string' && !(kind === 'model' && /^data:/i.test(raw))
        ? [{ use, raw, line: 1, ...NOWHERE }]
        : [],
    );
    return { kind, references };
  } catch (error) {
    return { kind, references: [], fault: { because: String(error), line: 1 } };
  }
}

/** SVG by a parser of XML, which says nothing of places. */
function readSvgAgain(text: string): Reading {
  const references: Reference[] = [];
  const add = (use: Use, raw: string): void => void references.push({ use, raw, line: 1, ...NOWHERE });
  const addStyle = (css: string, context: 'sheet' | 'declarations'): void => {
    for (const { use, raw } of readStyleText(css, 1, context, -1)) add(use, raw);
  };
  const open: { readonly isStyle: boolean }[] = [];
  let fault: Reading['fault'];
  const parser = new SaxesParser();
  parser.on('error', ({ message }) => (fault ??= { because: message, line: 1 }));
  parser.on('processinginstruction', ({ target, body }) => {
    const href = /\bhref\s*=\s*(?:"([^"]*)"|'([^']*)')/.exec(body);
    if (target === 'xml-stylesheet' && href) add('style', decodeXML(href[1] ?? href[2] ?? ''));
  });
  parser.on('opentag', ({ name, attributes }) => {
    for (const [attribute, value] of Object.entries(attributes)) {
      const use = svgUse(name, attribute);
      if (use) add(use, value);
      else if (isStyled(attribute, value))
        addStyle(attribute === 'style' ? value : `fill:${value}`, 'declarations');
    }
    open.push({ isStyle: /^(?:.*:)?style$/i.test(name) });
  });
  const styled = (piece: string): void => {
    if (open.at(-1)?.isStyle) addStyle(piece, 'sheet');
  };
  parser.on('text', styled);
  parser.on('cdata', styled);
  parser.on('closetag', () => open.pop());
  try {
    parser.write(text.replace(/^\uFEFF/, '')).close();
  } catch (error) {
    fault ??= { because: String(error), line: 1 };
  }
  return { kind: 'svg', references, ...(fault ? { fault } : {}) };
}

class XmlElement implements PageElement {
  readonly name: string;
  readonly #attributes: ReadonlyMap<string, string>;
  content = '';

  constructor({ name, attributes }: SaxesTagPlain) {
    this.name = name.toLowerCase();
    this.#attributes = new Map(
      Object.entries(attributes).map(([attribute, value]) => [attribute.replace(/^xlink:/, ''), value]),
    );
  }

  get hasAttributes(): boolean {
    return this.#attributes.size > 0;
  }
  attribute(name: string): string | undefined {
    return this.#attributes.get(name);
  }
  text(): string {
    return this.content;
  }
  // Places are what others are held to.
  line(): number {
    return 1;
  }
  place(): undefined {
    return undefined;
  }
  textAt(): number {
    return -1;
  }
  lastLine(): number {
    return 1;
  }
}

/** @returns undefined for what is no well-formed XML, which browsers take for HTML */
function readXml(text: string): Reading | undefined {
  const reader = new PageReader();
  const open: XmlElement[] = [];
  /** What is told once its text is there. */
  const waiting = new Map<XmlElement, string>();
  let isFaulty = false;
  const parser = new SaxesParser();
  parser.on('error', () => (isFaulty = true));
  parser.on('opentag', (tag) => {
    const element = new XmlElement(tag);
    const parent = open.at(-1)?.name ?? '';
    if (element.name === 'style' || element.name === 'script') waiting.set(element, parent);
    else reader.element(element, parent);
    open.push(element);
  });
  const add = (piece: string): void => {
    const top = open.at(-1);
    if (top && waiting.has(top)) top.content += piece;
  };
  parser.on('text', add);
  parser.on('cdata', add);
  parser.on('closetag', () => {
    const element = open.pop();
    const parent = element && waiting.get(element);
    if (element && parent !== undefined) reader.element(element, parent);
  });
  try {
    parser.write(text.replace(/^\uFEFF/, '')).close();
  } catch {
    return undefined;
  }
  return isFaulty ? undefined : reader.finish(false);
}
