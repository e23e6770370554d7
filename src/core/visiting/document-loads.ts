/** What the elements of one document ask for, as they are met; what styles and modules ask for comes after them. */
import { JAVASCRIPT, PRELOADED } from '../check/reading/page-elements.js';
import { estimateDistances, type Distance } from './lazy-pictures.js';
import type { LoadUse, When } from './page-load.js';
import type { Element } from './element.js';
import { chooseCandidate, isPlayed, isShown, readCandidates, widthOf } from './picture-choice.js';
import { matchesMedia } from './media-query.js';
import type { Screen } from './screen.js';

/** One thing that a document asks for, by its address as written. */
export interface Asked {
  readonly use: LoadUse;
  readonly url: string;
  readonly when: When;
  readonly blocking: boolean;
  /** For styles: whether they apply on this screen. */
  readonly applies?: boolean;
  /** For modules: whether what it imports is asked for too. */
  readonly deep?: boolean;
}

/** A style sheet in the page, or a module script, by its text. */
export interface Inline {
  readonly kind: 'style' | 'module';
  readonly text: string;
  readonly media: string;
}

export interface DocumentLoads {
  /** What `<base>` sets, as written. */
  readonly base: string | undefined;
  /** In the order in which they are met. */
  readonly items: readonly (Asked | Inline)[];
  /** Bare names of modules and what stands for them. */
  readonly importMap: Readonly<Record<string, string>>;
  readonly scripts: number;
  readonly lazy: number;
  readonly media: number;
}

/** @param isTop whether it is the page itself and not a frame: only that has an icon and a manifest */
export function listDocumentLoads(
  elements: readonly Element[],
  screen: Screen,
  isTop: boolean,
): DocumentLoads {
  return new DocumentReader(elements, screen, isTop).read();
}

class DocumentReader {
  readonly #elements: readonly Element[];
  readonly #screen: Screen;
  readonly #isTop: boolean;
  readonly #distances: ReadonlyMap<Element, Distance>;
  readonly #items: (Asked | Inline)[] = [];
  readonly #late: Asked[] = [];
  #base: string | undefined;
  #importMap: Record<string, string> = {};
  #scripts = 0;
  #lazy = 0;
  #media = 0;
  #hasIcon = false;
  #hasFitting = false;

  constructor(elements: readonly Element[], screen: Screen, isTop: boolean) {
    this.#elements = elements;
    this.#screen = screen;
    this.#isTop = isTop;
    this.#distances = estimateDistances(elements, screen);
  }

  read(): DocumentLoads {
    for (const element of this.#elements) this.#readElement(element);
    // Where a page names no icon, the browser looks where one always was.
    if (this.#isTop && !this.#hasIcon) this.#push('icon', '/favicon.ico', { when: 'late' });
    return {
      base: this.#base,
      items: [...this.#items, ...this.#late],
      importMap: this.#importMap,
      scripts: this.#scripts,
      lazy: this.#lazy,
      media: this.#media,
    };
  }

  #push(use: LoadUse, url: string | undefined, more: Partial<Asked> = {}): void {
    if (url === undefined || url.trim() === '') return;
    const asked: Asked = { use, url: url.trim(), when: 'met', blocking: false, ...more };
    (asked.when === 'late' ? this.#late : this.#items).push(asked);
  }

  #readElement(element: Element): void {
    const { name, attributes, parent } = element;
    const get = (attribute: string): string | undefined => attributes.get(attribute);
    switch (name) {
      case 'base':
        this.#base ??= get('href')?.trim();
        return;
      case 'link':
        return this.#link(attributes);
      case 'style':
        if (get('type') === undefined || /^(?:text\/css)?$/i.test(get('type') ?? ''))
          this.#items.push({ kind: 'style', text: element.text, media: get('media') ?? '' });
        return;
      case 'script':
        return this.#script(element);
      case 'img':
        return this.#picture(element);
      case 'input':
        if (get('type')?.toLowerCase() === 'image') this.#push('image', get('src'));
        return;
      case 'image':
      case 'feimage':
        return this.#push('image', get('href'));
      case 'use':
        if (!(get('href') ?? '#').startsWith('#')) this.#push('image', get('href'));
        return;
      case 'body':
      case 'table':
      case 'td':
      case 'th':
        return this.#push('image', get('background'));
      case 'video':
        this.#push('image', get('poster'));
        return this.#film(element);
      case 'audio':
        return this.#film(element);
      case 'track':
        if (attributes.has('default') && parent && this.#isLoading(parent))
          this.#push('captions', get('src'));
        return;
      case 'iframe':
        if (get('srcdoc') === undefined && this.#isNear(element))
          this.#push('frame', get('src'), { when: 'layout' });
        return;
      case 'frame':
        return this.#push('frame', get('src'));
      case 'embed':
        return this.#push('frame', get('src'));
      case 'object':
        return this.#push('frame', get('data'));
    }
  }

  #link(attributes: ReadonlyMap<string, string>): void {
    const rels = new Set((attributes.get('rel') ?? '').toLowerCase().split(/\s+/));
    const href = attributes.get('href');
    const type = attributes.get('type')?.toLowerCase();
    const fits = matchesMedia(attributes.get('media') ?? '', this.#screen);
    if (rels.has('stylesheet')) {
      if (
        attributes.has('disabled') ||
        (type !== undefined && !/^(?:text\/css)?$/.test(type.split(';')[0] ?? ''))
      )
        return;
      const applies = fits && !rels.has('alternate');
      return this.#push('style', href, { applies, blocking: applies });
    }
    if (rels.has('icon')) {
      this.#hasIcon = true;
      if (!this.#isTop || !isShown(type) || (this.#hasFitting && attributes.has('sizes'))) return;
      // One that fits any size ends the search among those made for one.
      if (!attributes.has('sizes') && /\.(?:ico|svg)$/i.test(href?.split(/[?#]/, 1)[0] ?? ''))
        this.#hasFitting = true;
      return this.#push('icon', href, { when: 'late' });
    }
    if (rels.has('manifest') && this.#isTop) return this.#push('manifest', href, { when: 'late' });
    if (rels.has('modulepreload')) return this.#push('module', href);
    if (rels.has('preload') && fits) {
      const use = PRELOADED.get((attributes.get('as') ?? '').toLowerCase());
      // Whole documents are not preloaded.
      if (use === undefined || use === 'frame' || (use === 'image' && !isShown(type))) return;
      const srcset = attributes.get('imagesrcset');
      const chosen = srcset === undefined ? undefined : this.#choose(srcset, attributes.get('imagesizes'));
      return this.#push(use, chosen ?? href);
    }
    if (rels.has('prefetch')) this.#push('prefetch', href, { when: 'late' });
  }

  #script({ attributes, text }: Element): void {
    const type = (attributes.get('type') ?? '').trim().toLowerCase();
    if (type === 'importmap') return this.#readImportMap(text);
    const isModule = type === 'module';
    const isClassic = type === '' || JAVASCRIPT.test(type);
    if (!isModule && !isClassic) return;
    if (isClassic && attributes.has('nomodule')) return;
    this.#scripts++;
    const src = attributes.get('src');
    if (src !== undefined) {
      const waits = isClassic && !attributes.has('async') && !attributes.has('defer');
      this.#push(isModule ? 'module' : 'script', src, { blocking: waits, deep: isModule });
    } else if (isModule) this.#items.push({ kind: 'module', text, media: '' });
  }

  #readImportMap(text: string): void {
    try {
      const { imports } = JSON.parse(text) as { imports?: Record<string, unknown> };
      for (const [name, target] of Object.entries(imports ?? {}))
        if (typeof target === 'string' && !Object.hasOwn(this.#importMap, name))
          this.#importMap = { ...this.#importMap, [name]: target };
    } catch {
      // A browser passes over one that it cannot read.
    }
  }

  #choose(srcset: string, sizes: string | undefined): string | undefined {
    const width = widthOf(sizes, this.#screen);
    if (width === undefined) this.#lazy++;
    return chooseCandidate(readCandidates(srcset), width ?? this.#screen.width, this.#screen);
  }

  #picture(element: Element): void {
    if (!this.#isNear(element)) return;
    const { attributes, parent } = element;
    const when = this.#distances.has(element) ? 'layout' : 'met';
    if (parent?.name === 'picture')
      for (const source of parent.children) {
        if (source === element) break;
        const srcset = source.attributes.get('srcset');
        if (source.name !== 'source' || srcset === undefined || !isShown(source.attributes.get('type')))
          continue;
        if (!matchesMedia(source.attributes.get('media') ?? '', this.#screen)) continue;
        const chosen = this.#choose(srcset, source.attributes.get('sizes') ?? attributes.get('sizes'));
        if (chosen !== undefined) return this.#push('image', chosen, { when });
      }
    const srcset = attributes.get('srcset');
    const src = attributes.get('src');
    const candidates = srcset === undefined ? [] : readCandidates(srcset);
    // The plain address is the candidate for plain screens, unless another one is, or widths decide.
    const plain =
      src !== undefined && !candidates.some(({ width, density }) => width !== undefined || density === 1);
    const width = candidates.length > 0 ? widthOf(attributes.get('sizes'), this.#screen) : 0;
    if (width === undefined) this.#lazy++;
    const chosen = chooseCandidate(
      plain ? [...candidates, { url: src, density: 1 }] : candidates,
      width ?? this.#screen.width,
      this.#screen,
    );
    this.#push('image', chosen ?? src, { when });
  }

  /** Whether something that may wait is near enough; all else is. */
  #isNear(element: Element): boolean {
    const distance = this.#distances.get(element);
    if (!distance) return true;
    if (!distance.isSure) this.#lazy++;
    return distance.isNear;
  }

  #isLoading({ attributes }: Element): boolean {
    return attributes.get('preload')?.toLowerCase() !== 'none' || attributes.has('autoplay');
  }

  #film(element: Element): void {
    if (!this.#isLoading(element)) return;
    const own = element.attributes.get('src');
    const source = element.children.find(
      ({ name, attributes }) =>
        name === 'source' &&
        isPlayed(attributes.get('type')) &&
        matchesMedia(attributes.get('media') ?? '', this.#screen),
    );
    const url = own ?? source?.attributes.get('src');
    if (url === undefined) return;
    this.#media++;
    this.#push('media', url);
  }
}
