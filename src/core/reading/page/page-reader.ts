/** What the elements of a page refer to, however the page was taken apart. */
import { hashOf } from '../fragments.js';
import { readImports, secureFeatures } from '../read-script.js';
import { readStyleText } from '../read-style.js';
import {
  NOWHERE,
  type Integrity,
  type MappedName,
  type Reading,
  type Reference,
  type Span,
  type Use,
} from '../reading.js';
import { readImportMap } from './read-import-map.js';
import { placeWritten } from '../written.js';
import { tagOf, type Leads } from './elements.js';
import { PRELOADED, relOf, scriptKind } from './links-and-scripts.js';
import { parseSrcset } from './srcset.js';

/** An element as it is met in a page. */
export interface PageElement {
  /** Lower case. */
  readonly name: string;
  readonly hasAttributes: boolean;
  attribute(name: string): string | undefined;
  /** The line of an attribute; of the tag where it has no such attribute. */
  line(attribute: string): number;
  /** Where the value of an attribute is written, quotes apart. */
  place(attribute: string): { readonly at: number; readonly written: string } | undefined;
  /** The text in it, for scripts and styles. */
  text(): string;
  /** Where that text begins; -1 where that cannot be told. */
  textAt(): number;
  /** The line on which the start tag ends. */
  lastLine(): number;
}

const CARDS = /^(?:og:(?:image|url|audio|video)(?::(?:url|secure_url))?|twitter:image)$/i;

type More = Partial<Pick<Reference, 'declared' | 'method' | 'withoutCors' | 'cors'>>;

/** Elements that say by `crossorigin` how what they load is asked for. */
const WITH_CORS: ReadonlySet<string> = new Set(['img', 'video', 'audio', 'script', 'link', 'image']);

/** How an element asks other sites, where it says so. */
function corsOf(element: PageElement): Pick<Reference, 'cors'> {
  const value = WITH_CORS.has(element.name) ? element.attribute('crossorigin') : undefined;
  if (value === undefined) return {};
  return { cors: value.trim().toLowerCase() === 'use-credentials' ? 'credentials' : 'anonymous' };
}

/** Takes the elements of a page in the order of its tree. */
export class PageReader {
  readonly #references: Reference[] = [];
  readonly #anchors = new Set<string>();
  readonly #features: { feature: string; line: number }[] = [];
  #base: string | undefined;
  #serverCode: Reading['serverCode'];
  readonly #integrity: Integrity[] = [];
  readonly #mapped: MappedName[] = [];
  #importMap = false;
  #scripted = false;
  #styled = false;
  /** Whether nothing that shows was met yet. */
  empty = true;

  finish(quirksMode: boolean): Reading {
    return {
      kind: 'page',
      references: this.#references,
      anchors: Uint32Array.from(this.#anchors, hashOf),
      quirksMode,
      empty: this.empty,
      scripted: this.#scripted,
      ...(this.#styled ? { styled: true } : {}),
      secureFeatures: this.#features,
      importMap: this.#importMap,
      ...(this.#mapped.length === 0 ? {} : { mapped: this.#mapped }),
      ...(this.#integrity.length === 0 ? {} : { integrity: this.#integrity }),
      ...(this.#base === undefined ? {} : { base: this.#base }),
      ...(this.#serverCode === undefined ? {} : { serverCode: this.#serverCode }),
    };
  }

  comment(data: string, line: () => number): void {
    const what = /^#\s*(?:include|exec|echo)\b/.test(data)
      ? 'a server-side include'
      : /^\?php\b/.test(data)
        ? 'PHP'
        : undefined;
    if (what !== undefined) this.#serverCode ??= { what, line: line() };
  }

  /** @param parent the name of the element that it stands in */
  element(element: PageElement, parent: string): void {
    const { name } = element;
    const tag = tagOf(name);
    if (tag.has('shows')) this.empty = false;
    if (!element.hasAttributes && name !== 'style' && name !== 'script') return;
    const id = element.attribute('id');
    if (id !== undefined) this.#anchors.add(id);
    if (name === 'a') {
      const anchor = element.attribute('name');
      if (anchor !== undefined) this.#anchors.add(anchor);
    }
    this.styleAttribute(element);
    if (name === 'base') this.#base ??= element.attribute('href')?.trim();
    if (name === 'style') {
      this.#styled = true;
      this.styles(readStyleText(element.text(), element.lastLine(), 'sheet', element.textAt()));
    }
    for (const leads of tag.leads) if (leads.only?.(element) !== false) this.leads(element, leads, parent);
  }

  /** What an attribute leads to. */
  private leads(
    element: PageElement,
    { attribute, use, candidates, typed, within }: Leads,
    parent: string,
  ): void {
    const type = element.attribute('type');
    const more: More = typed && type !== undefined && type !== '' ? { declared: type } : {};
    if (element.name === 'link') this.link(element, type === undefined ? {} : { declared: type });
    else if (element.name === 'script') this.script(element);
    else if (element.name === 'meta') this.meta(element);
    else if (use === 'form') this.form(element, attribute, attribute === 'action' ? 'method' : 'formmethod');
    else if (candidates) this.srcset(element, attribute, more);
    else this.add(within?.[0] === parent ? within[1] : use, element, attribute, more);
  }

  /** One attribute that holds one address. */
  private add(use: Use, element: PageElement, attribute: string, more: More = {}): void {
    const value = element.attribute(attribute);
    if (value === undefined) return;
    const raw = value.trim();
    const span = spanIn(element, attribute, value.length - value.trimStart().length, raw.length);
    const line = element.line(attribute);
    this.#references.push({ use, raw, line, ...span, ...corsOf(element), ...more });
  }

  /** One of the addresses in an attribute. @param at where it begins in the attribute's value */
  private addPart(
    use: Use,
    element: PageElement,
    attribute: string,
    raw: string,
    at: number,
    more: More,
  ): void {
    const url = raw.trim();
    const span = spanIn(element, attribute, at + raw.length - raw.trimStart().length, url.length);
    const line = element.line(attribute);
    this.#references.push({ use, raw: url, line, ...span, ...corsOf(element), ...more });
  }

  private styleAttribute(element: PageElement): void {
    const style = element.attribute('style');
    if (style === undefined) return;
    const references = readStyleText(style, element.line('style'), 'declarations', 0);
    this.styles(
      references.map((each) => {
        if (each.at < 0) return each;
        const { at, length, escaping, ...rest } = each;
        const span = spanIn(element, 'style', at, length);
        // What is escaped in both ways is left to be found.
        return escaping !== undefined && span.escaping !== undefined
          ? { ...rest, ...NOWHERE }
          : { ...rest, ...(escaping === undefined ? {} : { escaping }), ...span };
      }),
    );
  }

  private styles(references: readonly Reference[]): void {
    for (const reference of references) this.#references.push({ ...reference, styled: true });
  }

  private form(element: PageElement, action: string, method: string): void {
    const verb = element.attribute(method)?.toUpperCase();
    if (verb === 'DIALOG') return;
    const more = verb === 'POST' ? { method: verb } : {};
    if (element.attribute(action) !== undefined) this.add('form', element, action, more);
    else if (element.name === 'form')
      this.#references.push({ use: 'form', raw: '', line: element.line(action), ...NOWHERE, ...more });
  }

  /** What the bytes of the reference just met have to be. */
  private integrity(element: PageElement): void {
    const value = element.attribute('integrity');
    if (value === undefined || value.trim() === '' || this.#references.length === 0) return;
    const { at, length } = spanIn(element, 'integrity', 0, value.length);
    this.#integrity.push({ reference: this.#references.length - 1, value, at, length });
  }

  private link(element: PageElement, type: { readonly declared?: string }): void {
    const rel = relOf(element.attribute('rel'));
    const { use, asks } = rel;
    if (use === undefined) return;
    const typed = rel.typed && !(use === 'style' && rel.has('alternate')) ? type : {};
    if (asks === 'preload') {
      const preloaded = PRELOADED.get((element.attribute('as') ?? '').toLowerCase()) ?? use;
      this.srcset(element, 'imagesrcset', typed);
      const withoutCors = preloaded === 'font' && element.attribute('crossorigin') === undefined;
      this.add(preloaded, element, 'href', { ...typed, ...(withoutCors ? { withoutCors } : {}) });
    } else this.add(use, element, 'href', typed);
    if (element.attribute('href') !== undefined) this.integrity(element);
  }

  private script(element: PageElement): void {
    const type = element.attribute('type');
    const kind = scriptKind(type);
    const src = element.attribute('src');
    if (kind === 'import map') {
      this.#importMap = true;
      if (src === undefined) this.importMap(element);
    } else if (kind === 'data') this.add('data', element, 'src');
    if (kind !== 'module' && kind !== 'classic') return;
    this.#scripted = true;
    if (src !== undefined) {
      const declared = (type ?? '').trim().toLowerCase();
      const isTyped = kind === 'classic' && declared !== '';
      this.add(kind === 'module' ? 'module' : 'script', element, 'src', isTyped ? { declared } : {});
      return this.integrity(element);
    }
    const text = element.text();
    const first = element.lastLine();
    if (kind === 'module') this.#references.push(...readImports(text, first, element.textAt()));
    this.#features.push(...secureFeatures(text, first));
  }

  private importMap(element: PageElement): void {
    const map = readImportMap(element.text(), element.lastLine(), element.textAt());
    this.#references.push(...map.references);
    this.#mapped.push(...map.mapped);
    this.#integrity.push(...map.integrity);
  }

  private meta(element: PageElement): void {
    const content = element.attribute('content');
    if (content === undefined) return;
    if (element.attribute('http-equiv')?.toLowerCase() === 'refresh') {
      const target = refreshTarget(content);
      if (target !== undefined)
        this.addPart('link', element, 'content', target, content.lastIndexOf(target), {});
    } else if (CARDS.test(element.attribute('property') ?? element.attribute('name') ?? ''))
      this.add('identity', element, 'content');
  }

  /** Candidates are parted by commas that white space follows or that follow a descriptor. */
  private srcset(element: PageElement, attribute: string, typed: { readonly declared?: string }): void {
    const text = element.attribute(attribute);
    if (text === undefined) return;
    for (const { url, at } of parseSrcset(text)) this.addPart('image', element, attribute, url, at, typed);
  }
}

/** Where a part of an attribute's value stands in the page. */
function spanIn(element: PageElement, attribute: string, from: number, length: number): Span {
  const place = element.place(attribute);
  const value = element.attribute(attribute);
  return place && value !== undefined ? placeWritten({ ...place, value }, from, length) : NOWHERE;
}

/** Where `5; url=/there` leads; undefined when it only reloads. */
function refreshTarget(content: string): string | undefined {
  const rest = /^[\d.\s]*[;,](.*)$/s.exec(content)?.[1]?.trim();
  if (rest === undefined) return undefined;
  const url = rest.replace(/^url\s*=/i, '').trim();
  const quote = /^["']/.exec(url)?.[0];
  const target = (quote === undefined ? url : url.slice(1)).split(/["']/, 1)[0]?.trim();
  return target === '' ? undefined : target;
}
