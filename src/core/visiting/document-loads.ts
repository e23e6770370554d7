/** What the elements of one document ask for, as they are met; what styles and modules ask for comes after them. */
import { readImportMap } from '../reading/page/read-import-map.js';
import type { MappedName } from '../reading/reading.js';
import { tagOf, type Asks, type Leads } from '../reading/page/elements.js';
import { PRELOADED, relOf, scriptKind } from '../reading/page/links-and-scripts.js';
import { inOrder, readSizes, type IconCandidate } from './choose-icons.js';
import { MAX_PATTERNS, readSpeculationRules } from './speculation.js';
import type { LoadUse, When } from './page-load.js';
import type { Element } from '../reading/page/element.js';
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
  /** The host of the shadow tree that it stands in. */
  readonly scope?: Element | undefined;
  /** For frames: whether it shares nothing with anybody. */
  readonly apart?: boolean;
  /** A page that is fetched ahead of its time. */
  readonly ahead?: true;
  /** For modules: whether what it imports is asked for too. */
  readonly deep?: boolean;
}

/** A style sheet in the page, a module script, or a frame, by its text. */
export interface Inline {
  readonly kind: 'style' | 'module' | 'frame';
  /** For frames: whether it shares nothing with anybody. */
  readonly apart?: boolean;
  readonly text: string;
  readonly media: string;
  /** The host of the shadow tree that it stands in. */
  readonly scope?: Element | undefined;
}

/** What is asked for once it comes near the screen. */
export interface Waiting {
  readonly element: Element;
  readonly asked: Asked | Inline;
}

export interface DocumentLoads {
  /** What `<base>` sets, as written. */
  readonly base: string | undefined;
  /** In the order in which they are met. */
  readonly items: readonly (Asked | Inline)[];
  /** Where the page goes on to by itself, and after how many seconds. */
  readonly refresh: { readonly url: string; readonly seconds: number } | undefined;
  /** Patterns of links that are fetched ahead, and the links. */
  readonly ahead: { readonly matching: readonly string[]; readonly links: readonly string[] };
  /** What may load something in a way that is not known here. */
  readonly others: readonly string[];
  /** In the order in which they are tried. */
  readonly icons: readonly IconCandidate[];
  /** Names of modules and what stands for them. */
  readonly mapped: readonly MappedName[];
  readonly scripts: number;
  /** What is asked for once it comes near, with its element. */
  readonly waiting: readonly Waiting[];
  /** Pictures whose width only a layout tells. */
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
  readonly #items: (Asked | Inline)[] = [];
  readonly #late: Asked[] = [];
  readonly #waiting: Waiting[] = [];
  /** The element at hand, where it waits until it is near. */
  #lazyOne: Element | undefined;
  /** The host of the shadow tree at hand. */
  #scope: Element | undefined;
  #base: string | undefined;
  readonly #mapped: MappedName[] = [];
  #scripts = 0;
  #lazy = 0;
  #media = 0;
  #hasIcon = false;
  readonly #icons: IconCandidate[] = [];
  readonly #matching: string[] = [];
  readonly #others = new Set<string>();
  #refresh: DocumentLoads['refresh'];

  constructor(elements: readonly Element[], screen: Screen, isTop: boolean) {
    this.#elements = elements;
    this.#screen = screen;
    this.#isTop = isTop;
  }

  read(): DocumentLoads {
    for (const element of this.#elements) this.#readElement(element);
    // Where a page names no icon, the browser looks where one always was.
    if (this.#isTop && !this.#hasIcon) this.#icons.push({ url: '/favicon.ico', sizes: undefined });
    return {
      base: this.#base,
      items: [...this.#items, ...this.#late],
      refresh: this.#refresh,
      ahead: {
        matching: this.#matching,
        links: this.#matching.length === 0 ? [] : this.#elements.flatMap(linkOf),
      },
      others: [...this.#others],
      icons: inOrder(this.#icons),
      mapped: this.#mapped,
      scripts: this.#scripts,
      waiting: this.#waiting,
      lazy: this.#lazy,
      media: this.#media,
    };
  }

  #push(use: LoadUse, url: string | undefined, more: Partial<Asked> = {}): void {
    if (url === undefined || url.trim() === '') return;
    const asked: Asked = { use, url: url.trim(), when: 'met', blocking: false, scope: this.#scope, ...more };
    if (this.#lazyOne)
      return void this.#waiting.push({ element: this.#lazyOne, asked: { ...asked, when: 'layout' } });
    (asked.when === 'late' ? this.#late : this.#items).push(asked);
  }

  #readElement(element: Element): void {
    const { name, attributes } = element;
    if (name === 'base') this.#base ??= attributes.get('href')?.trim();
    if (name === 'style' && /^(?:text\/css)?$/i.test(attributes.get('type') ?? ''))
      this.#items.push({
        kind: 'style',
        text: element.text,
        media: attributes.get('media') ?? '',
        scope: element.scope,
      });
    if (name === 'meta') this.#meta(attributes);
    const { leads } = tagOf(name);
    this.#lookForMore(element, leads);
    if (leads.length === 0) return;
    this.#lazyOne = waits(element) ? element : undefined;
    this.#scope = element.scope;
    const seen = { attribute: (attribute: string) => attributes.get(attribute) };
    for (const each of leads) if (each.only?.(seen) !== false) this.#asks[each.asks](element, each);
    this.#lazyOne = undefined;
  }

  /** What is asked for by each way in which the table says that something is. */
  readonly #asks: Readonly<Record<Asks, (element: Element, leads: Leads) => void>> = {
    never: () => undefined,
    part: () => undefined,
    met: ({ name, attributes }, { attribute, use }) => {
      // Of a type that nobody shows it is not asked for.
      if (name === 'object' && !isEmbedded(attributes.get('type'))) return;
      this.#push(useOf(use), attributes.get(attribute));
    },
    outside: ({ attributes }, { attribute, use }) => {
      const url = attributes.get(attribute);
      if (url !== undefined && !url.startsWith('#')) this.#push(useOf(use), url);
    },
    near: (element, { attribute, use }) => {
      const text = element.attributes.get('srcdoc');
      const apart = isApart(element);
      const asked: Inline | undefined =
        text === undefined ? undefined : { kind: 'frame', text, media: '', apart };
      if (!asked) return this.#push(useOf(use), element.attributes.get(attribute), { when: 'layout', apart });
      if (this.#lazyOne) this.#waiting.push({ element, asked });
      else this.#items.push(asked);
    },
    captions: ({ attributes, parent }, { attribute, use }) => {
      if (attributes.has('default') && parent && this.#isLoading(parent))
        this.#push(useOf(use), attributes.get(attribute));
    },
    picture: (element) => this.#picture(element),
    film: (element) => this.#film(element),
    link: ({ attributes }) => this.#link(attributes),
    script: (element) => this.#script(element),
  };

  #link(attributes: ReadonlyMap<string, string>): void {
    const rel = relOf(attributes.get('rel'));
    const href = attributes.get('href');
    const type = attributes.get('type')?.toLowerCase();
    const fits = matchesMedia(attributes.get('media') ?? '', this.#screen);
    switch (rel.asks) {
      case 'style': {
        if (attributes.has('disabled') || !/^(?:text\/css)?$/.test(type?.split(';')[0] ?? '')) return;
        const applies = fits && !rel.has('alternate');
        return this.#push('style', href, { applies, blocking: applies });
      }
      case 'icon':
        this.#hasIcon = true;
        if (this.#isTop && isShown(type) && href !== undefined && href.trim() !== '')
          this.#icons.push({ url: href.trim(), sizes: readSizes(attributes.get('sizes'), type) });
        return;
      case 'manifest':
        return this.#isTop ? this.#push('manifest', href, { when: 'late' }) : undefined;
      case 'module':
        return this.#push('module', href);
      case 'preload':
        return fits ? this.#preload(attributes, type, href) : undefined;
      case 'prefetch':
        return this.#push('prefetch', href, { when: 'late' });
      case 'never':
        return;
    }
  }

  #preload(
    attributes: ReadonlyMap<string, string>,
    type: string | undefined,
    href: string | undefined,
  ): void {
    const use = PRELOADED.get((attributes.get('as') ?? '').toLowerCase());
    // Whole documents are not preloaded.
    if (use === undefined || use === 'frame' || (use === 'image' && !isShown(type))) return;
    const srcset = attributes.get('imagesrcset');
    const chosen = srcset === undefined ? undefined : this.#choose(srcset, attributes.get('imagesizes'));
    this.#push(use, chosen ?? href);
  }

  #script({ attributes, text }: Element): void {
    const kind = scriptKind(attributes.get('type'), attributes.get('language'));
    if (kind === 'speculation rules') return this.#speculation(text);
    if (kind === 'import map') return void this.#mapped.push(...readImportMap(text, 1, -1).mapped);
    if (kind !== 'module' && kind !== 'classic') return;
    if (kind === 'classic' && attributes.has('nomodule')) return;
    this.#scripts++;
    const src = attributes.get('src');
    if (src !== undefined) {
      const waits = kind === 'classic' && !attributes.has('async') && !attributes.has('defer');
      const isModule = kind === 'module';
      this.#push(isModule ? 'module' : 'script', src, { blocking: waits, deep: isModule });
    } else if (kind === 'module') this.#items.push({ kind: 'module', text, media: '' });
  }

  #speculation(text: string): void {
    if (!this.#isTop) return;
    const { urls, matching, unsure } = readSpeculationRules(text);
    for (const url of urls) this.#push('prefetch', url, { when: 'late', ahead: true });
    const room = MAX_PATTERNS - this.#matching.length;
    this.#matching.push(...matching.slice(0, room));
    if (unsure > 0 || matching.length > room) this.#others.add('speculation rules');
  }

  /** A page that goes on to another one by itself. */
  #meta(attributes: ReadonlyMap<string, string>): void {
    if (!this.#isTop || attributes.get('http-equiv')?.trim().toLowerCase() !== 'refresh') return;
    const [, seconds, , quoted, plain] =
      /^\s*(\d{1,9})(?:\.\d*)?\s*[;,]\s*(?:url\s*=\s*)?(?:(["'])(.*?)\2|(.*))/is.exec(
        attributes.get('content') ?? '',
      ) ?? [];
    const url = (quoted ?? plain)?.trim();
    if (seconds !== undefined && url) this.#refresh ??= { url, seconds: Number(seconds) };
  }

  /** Attributes that load something on some element, and on this one in a way that nobody here knows. */
  #lookForMore({ name, attributes }: Element, leads: readonly Leads[]): void {
    for (const attribute of LOADING)
      if (attributes.has(attribute) && !leads.some((each) => each.attribute === attribute))
        this.#others.add(`\`${attribute}\` of \`${name}\``);
  }

  #choose(srcset: string, sizes: string | undefined): string | undefined {
    const width = widthOf(sizes, this.#screen);
    if (width === undefined) this.#lazy++;
    return chooseCandidate(readCandidates(srcset), width ?? this.#screen.width, this.#screen);
  }

  #picture(element: Element): void {
    const { attributes, parent } = element;
    if (parent?.name === 'picture')
      for (const source of parent.children) {
        if (source === element) break;
        const srcset = source.attributes.get('srcset');
        if (source.name !== 'source' || srcset === undefined || !isShown(source.attributes.get('type')))
          continue;
        if (!matchesMedia(source.attributes.get('media') ?? '', this.#screen)) continue;
        const chosen = this.#choose(srcset, source.attributes.get('sizes') ?? attributes.get('sizes'));
        if (chosen !== undefined) return this.#push('image', chosen);
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
    this.#push('image', chosen ?? src);
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

/** Attributes by which elements load something. */
export const LOADING = ['src', 'srcset', 'poster'];

/** A frame with a sandbox shares nothing with the page, unless it says so. */
const isApart = ({ attributes }: Element): boolean => {
  const sandbox = attributes.get('sandbox');
  return sandbox !== undefined && !sandbox.toLowerCase().split(/\s+/).includes('allow-same-origin');
};

const linkOf = ({ name, attributes }: Element): string[] => {
  const href = name === 'a' || name === 'area' ? attributes.get('href')?.trim() : undefined;
  return href === undefined || href === '' ? [] : [href];
};

/** Whether it may wait until it comes near. */
const waits = ({ attributes }: Element): boolean => attributes.get('loading')?.toLowerCase() === 'lazy';

const isEmbedded = (type: string | undefined): boolean =>
  type === undefined ||
  /^(?:(?:image|text|video|audio)\/|application\/(?:xhtml\+xml|xml|pdf)\b)/i.test(type.trim());

/** What is only led to is never asked for; of the rest a visit has words of its own. */
const useOf = (use: Leads['use']): LoadUse =>
  use === 'link' || use === 'identity' || use === 'form' || use === 'source map' ? 'data' : use;
