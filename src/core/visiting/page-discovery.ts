/** Follows one page to everything that its loading asks for: styles to their imports and fonts, modules to theirs. */
import { essence } from '../assign/media-type.js';
import { isPage, isStyle } from '../assign/defaults.js';
import { fieldOf } from '../caching/freshness.js';
import { listStyled } from './applied-styles.js';
import { fitOf, isWorthTrying, sizesOf, type IconCandidate } from './choose-icons.js';
import { listDocumentLoads, type Asked, type DocumentLoads, type Waiting } from './document-loads.js';
import { nearnessOf } from './lazy-pictures.js';
import { placeBoxes } from './place-boxes.js';
import { matchesMedia } from './media-query.js';
import { staticImports } from '../reading/read-script.js';
import { mapModules, type ResolveModule } from './module-imports.js';
import type { LoadUse, PageLoad, SiteAnswer, VisitedSite, Wanted, When } from './page-load.js';
import type { Element } from '../reading/page/element.js';
import { readTree } from '../reading/page/page-tree.js';
import { parseAddress } from './parse-address.js';
import type { SheetsByTree } from './scoped-styles.js';
import type { Screen } from './screen.js';
import { matchesPath } from './speculation.js';
import { EMPTY_SHEET, readSheet, type LayerPath, type Sheet } from './style-rules.js';
import type { AppliedSheet } from './winning-rules.js';

/** Seconds after which a page that goes on to another one has not been looked at. */
const SOON = 1;
/** Redirects in a row that a browser follows. */
const MAX_HOPS = 20;
const MAX_FRAMES = 4;
/** Frames of one page in all. */
const MAX_FRAME_DOCUMENTS = 200;
/** What one page may ask for; more is no page but an attack. */
const MAX_WANTED = 20_000;

/** Something that is there, and where it stands in the list. */
interface Met {
  readonly at: number;
  readonly url: string;
  readonly answer: SiteAnswer;
}

/** A document and where it stands in what is loaded. */
interface DocumentAt {
  readonly base: string;
  readonly at: number;
  readonly resolveModule: ResolveModule;
  readonly depth: number;
}

/** What is read of styles and modules: it may be known of another page. */
export interface Texts {
  sheet(url: string, answer: SiteAnswer): Promise<Sheet>;
  imports(url: string, answer: SiteAnswer): Promise<readonly string[]>;
}

export class PageDiscovery {
  readonly #site: VisitedSite;
  readonly #screen: Screen;
  readonly #texts: Texts;
  readonly #wanted: Wanted[] = [];
  /** What the document at hand has asked for: what was meant to be asked for, not where that led to. */
  #asked = new Set<string>();
  /** What was not there. */
  readonly #failed = new Set<string>();
  /** Where each address of it stands in the list. */
  #places = new Map<string, number>();
  readonly #elsewhere = new Set<string>();
  readonly #others = new Set<string>();
  #elsewhereRequests = 0;
  /** Whether the document at hand shares nothing with anybody. */
  #apart = false;
  #scripts = 0;
  #lazy = 0;
  #media = 0;
  #nameless = 0;
  #frames = 0;
  /** Pages that went on to others by themselves. */
  #hops = 0;
  /** Addresses of the document at hand and of those around it. */
  readonly #around: string[] = [];

  constructor(site: VisitedSite, screen: Screen, texts: Texts) {
    this.#site = site;
    this.#screen = screen;
    this.#texts = texts;
  }

  async run(url: string): Promise<PageLoad> {
    const page = await this.#add(url, 'page', -1, 'met', true);
    if (page) await this.#document(page, 0);
    return {
      url,
      wanted: this.#wanted,
      unknown: {
        scripts: this.#scripts,
        lazy: this.#lazy,
        media: this.#media,
        seen: 0,
        elsewhere: [...this.#elsewhere],
        elsewhereRequests: this.#elsewhereRequests,
        others: [...this.#others],
      },
    };
  }

  /** Asks for an address and, where it leads on, for the next. @returns undefined where it leads away, or was met before */
  async #add(raw: string, use: LoadUse, by: number, when: When, blocking: boolean): Promise<Met | undefined> {
    let url = raw;
    // An icon is asked for by the browser's own hand, whatever the page has asked for.
    const mark = use === 'icon' ? `icon ${raw}` : raw;
    // Each frame is a document of its own; a script that was not there is looked for again.
    const isAnew = use === 'frame' || (use === 'script' && this.#failed.has(raw));
    if (this.#asked.has(mark) && !isAnew) return undefined;
    this.#asked.add(mark);
    const apart = this.#apart ? { apart: true as const } : {};
    for (let [hops, met] = [0, by]; hops <= MAX_HOPS; hops++) {
      if (this.#wanted.length >= MAX_WANTED) return undefined;
      const answer = await this.#site.ask(url);
      if (!answer) {
        if (/^https?:/.test(url)) {
          this.#elsewhere.add(new URL(url).host);
          this.#elsewhereRequests++;
        }
        return undefined;
      }
      const at =
        this.#wanted.push({ url, use, by: met, when: hops === 0 ? when : 'met', blocking, ...apart }) - 1;
      this.#places.set(url, at);
      if (answer.status >= 400) this.#failed.add(raw);
      const next = isRedirect(answer.status)
        ? parseAddress(fieldOf(answer.headers, 'Location') ?? '', url)
        : undefined;
      if (next === undefined) return { at, url, answer };
      [url, met] = [next, at];
    }
    return undefined;
  }

  async #document({ at, url, answer }: Met, depth: number, apart = false): Promise<void> {
    const type = fieldOf(answer.headers, 'Content-Type') ?? '';
    if (!isPage(type) && !(depth > 0 && essence(type) === 'image/svg+xml')) return;
    const text = await this.#site.text(url, answer);
    if (text !== undefined) await this.#documentText(text, url, at, depth, apart);
  }

  /** Each document asks for what it needs itself, whatever others have asked for. */
  async #documentText(text: string, url: string, at: number, depth: number, apart = false): Promise<void> {
    if (depth > 0 && ++this.#frames > MAX_FRAME_DOCUMENTS) return;
    const [asked, places, wasApart] = [this.#asked, this.#places, this.#apart];
    if (apart) this.#apart = true;
    if (depth > 0) {
      this.#asked = new Set([url]);
      this.#places = new Map([[url, at]]);
    }
    this.#around.push(url);
    await this.#loadsOf(text, url, at, depth);
    this.#around.pop();
    this.#asked = asked;
    this.#places = places;
    this.#apart = wasApart;
  }

  async #loadsOf(text: string, url: string, at: number, depth: number): Promise<void> {
    const elements = readTree(text);
    const loads = listDocumentLoads(elements, this.#screen, depth === 0);
    this.#scripts += loads.scripts;
    this.#lazy += loads.lazy;
    this.#media += loads.media;
    for (const other of loads.others) this.#others.add(other);
    const base = (loads.base === undefined ? undefined : parseAddress(loads.base, url)) ?? url;
    const resolveModule = mapModules(loads.mapped, base);
    const trees = new Map<Element | undefined, AppliedSheet[]>([[undefined, []]]);
    const appliedIn = (scope: Element | undefined): AppliedSheet[] => {
      const known = trees.get(scope) ?? [];
      trees.set(scope, known);
      return known;
    };
    for (const item of loads.items) {
      const applied = appliedIn(item.scope);
      if ('kind' in item) {
        if (item.kind === 'frame') {
          if (depth < MAX_FRAMES) await this.#documentText(item.text, base, at, depth + 1, item.apart);
        } else if (item.kind === 'module') {
          for (const name of staticImports(item.text))
            await this.#module(resolveModule(name, base), at, resolveModule);
        } else await this.#inlineStyle(item.text, item.media, base, at, applied);
      } else await this.#item(item, base, at, resolveModule, applied, depth);
    }
    await this.#waiting(loads.waiting, elements, trees, { base, at, resolveModule, depth });
    // A page that is left at once has no time for its icon.
    if (loads.refresh?.seconds !== 0) await this.#icons(loads.icons, base, at);
    for (const { url: styled, base: from, use } of listStyled(elements, trees, base, this.#screen)) {
      const target = parseAddress(styled, from);
      if (target !== undefined) await this.#add(target, use, this.#places.get(from) ?? at, 'layout', false);
    }
    for (const { sheet } of [...trees.values()].flat())
      for (const other of sheet.others) this.#others.add(other);
    for (const link of loads.ahead.links) {
      const target = parseAddress(link, base);
      if (
        target === undefined ||
        target === url ||
        !loads.ahead.matching.some((each) => matchesPath(each, new URL(target).pathname))
      )
        continue;
      await this.#ahead(target, at);
    }
    await this.#goOn(loads, url, base, at);
  }

  /** A page that is fetched ahead of its time. */
  async #ahead(target: string, at: number): Promise<void> {
    const from = this.#wanted.length;
    await this.#add(target, 'prefetch', at, 'late', false);
    for (let n = from; n < this.#wanted.length; n++) {
      const wanted = this.#wanted[n];
      if (wanted) this.#wanted[n] = { ...wanted, ahead: true };
    }
  }

  /** A page that goes on at once to another one is only the way there. */
  async #goOn({ refresh }: DocumentLoads, url: string, base: string, at: number): Promise<void> {
    const target = refresh && refresh.seconds <= SOON ? parseAddress(refresh.url, base) : undefined;
    if (target === undefined || target === url || this.#hops++ >= MAX_HOPS) return;
    this.#asked = new Set();
    this.#places = new Map();
    const page = await this.#add(target, 'page', at, 'late', true);
    if (page) await this.#document(page, 0);
  }

  /** One after the other, until one fits as well as any that is left says that it does. */
  async #icons(candidates: readonly IconCandidate[], base: string, at: number): Promise<void> {
    let best = 0;
    let kept: number | undefined;
    const tried: number[] = [];
    for (const candidate of candidates) {
      if (!isWorthTrying(candidate, best)) break;
      const target = parseAddress(candidate.url, base);
      const met = target === undefined ? undefined : await this.#add(target, 'icon', at, 'late', false);
      if (!met) continue;
      tried.push(met.at);
      if (met.answer.status !== 200) continue;
      const head = await this.#site.head(met.url, met.answer);
      const { sizes } = candidate;
      const fit = fitOf((head && sizesOf(head)) ?? sizes ?? []);
      if (kept !== undefined && fit <= best) continue;
      best = fit;
      kept = met.at;
    }
    if (tried.length < 2) return;
    for (const [n, place] of tried.entries()) {
      const wanted = this.#wanted[place];
      if (wanted) this.#wanted[place] = { ...wanted, tried: { isFirst: n === 0, isKept: place === kept } };
    }
  }

  /** What waits is asked for where it stands near enough. */
  async #waiting(
    waiting: readonly Waiting[],
    elements: readonly Element[],
    trees: SheetsByTree,
    { base, at, resolveModule, depth }: DocumentAt,
  ): Promise<void> {
    if (waiting.length === 0) return;
    const placeOf = placeBoxes(elements, trees, base, this.#screen);
    for (const { element, asked } of waiting) {
      const { isNear, isSure } = nearnessOf(placeOf(element), this.#screen);
      if (!isSure) this.#lazy++;
      if (!isNear) continue;
      if (!('kind' in asked)) await this.#item(asked, base, at, resolveModule, [], depth);
      else if (depth < MAX_FRAMES) await this.#documentText(asked.text, base, at, depth + 1, asked.apart);
    }
  }

  async #item(
    { use, url, when, blocking, applies, deep, apart, ahead }: Asked,
    base: string,
    at: number,
    resolveModule: ResolveModule,
    applied: AppliedSheet[],
    depth: number,
  ): Promise<void> {
    const target = parseAddress(url, base);
    if (target === undefined) return;
    if (use === 'style') return this.#style(target, at, blocking, applies === false ? undefined : applied);
    if (use === 'module') {
      if (deep) return this.#module(target, at, resolveModule);
      await this.#add(target, use, at, when, blocking);
      return;
    }
    // No document stands within itself.
    if (use === 'frame' && this.#around.includes(target)) return;
    if (ahead) return this.#ahead(target, at);
    const met = await this.#add(target, use, at, when, blocking);
    if (met && use === 'frame' && depth < MAX_FRAMES) await this.#document(met, depth + 1, apart);
  }

  async #inlineStyle(
    text: string,
    media: string,
    base: string,
    at: number,
    applied: AppliedSheet[],
  ): Promise<void> {
    const sheet = readSheet(text);
    const fits = matchesMedia(media, this.#screen);
    await this.#importsOf(sheet, base, at, fits ? applied : undefined, []);
    if (fits) applied.push({ sheet, base, layer: [] });
  }

  /** @param applied where it goes with its imports before it; undefined for one that does not apply */
  async #style(
    url: string,
    by: number,
    blocking: boolean,
    applied: AppliedSheet[] | undefined,
    layer: LayerPath = [],
  ): Promise<void> {
    const known = this.#places.get(url);
    const met = await this.#add(url, 'style', by, 'met', blocking);
    if (!met) {
      // Linked once more, it applies once more.
      const again = known === undefined ? undefined : await this.#site.ask(url);
      if (again && applied) applied.push({ sheet: await this.#texts.sheet(url, again), base: url, layer });
      return;
    }
    if (!isStyle(essence(fieldOf(met.answer.headers, 'Content-Type') ?? ''))) return;
    const sheet = await this.#texts.sheet(met.url, met.answer);
    await this.#importsOf(sheet, met.url, met.at, applied, layer);
    applied?.push({ sheet, base: met.url, layer });
  }

  async #importsOf(
    { imports, early }: Sheet,
    base: string,
    by: number,
    applied: AppliedSheet[] | undefined,
    layer: LayerPath,
  ): Promise<void> {
    if (early.length > 0) applied?.push({ sheet: { ...EMPTY_SHEET, layers: early }, base, layer });
    for (const { url, media, layer: own } of imports) {
      const target = parseAddress(url, base);
      if (target === undefined) continue;
      const fits = matchesMedia(media, this.#screen);
      await this.#style(target, by, applied !== undefined && fits, fits ? applied : undefined, [
        ...layer,
        // One without a name is like no other.
        ...own.map((name) => (name.startsWith(' ') ? ` ${this.#nameless++}` : name)),
      ]);
    }
  }

  async #module(url: string | undefined, by: number, resolveModule: ResolveModule): Promise<void> {
    const queue: { url: string | undefined; by: number }[] = [{ url, by }];
    for (let next = queue.shift(); next; next = queue.shift()) {
      if (next.url === undefined) continue;
      const known = this.#places.get(next.url);
      const met = await this.#add(next.url, 'module', next.by, 'met', false);
      const here = met ?? (known === undefined ? undefined : await this.#preloaded(next.url, known));
      if (!here) continue;
      for (const name of await this.#texts.imports(here.url, here.answer)) {
        const target = resolveModule(name, here.url);
        if (target !== undefined && !this.#asked.has(target)) queue.push({ url: target, by: here.at });
      }
    }
  }

  /** A module that was asked for ahead of its time: what it imports was not. */
  async #preloaded(url: string, at: number): Promise<Met | undefined> {
    const answer = await this.#site.ask(url);
    return answer && { at, url, answer };
  }
}

const isRedirect = (status: number): boolean => [301, 302, 303, 307, 308].includes(status);
