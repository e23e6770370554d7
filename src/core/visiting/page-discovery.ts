/** Follows one page to everything that its loading asks for: styles to their imports and fonts, modules to theirs. */
import { essence } from '../assign/media-type.js';
import { isPage, isStyle } from '../assign/defaults.js';
import { fieldOf } from '../caching/freshness.js';
import { listStyled } from './applied-styles.js';
import { fitOf, isWorthTrying, sizesOf, type IconCandidate } from './choose-icons.js';
import { listDocumentLoads, type Asked, type DocumentLoads, type Inline } from './document-loads.js';
import { nearnessOf } from './lazy-pictures.js';
import { placeBoxes } from './place-boxes.js';
import { matchesMedia } from './media-query.js';
import { staticImports } from '../reading/read-script.js';
import { mapModules, type ResolveModule } from './module-imports.js';
import type { PageLoad, SiteAnswer, VisitedSite } from './page-load.js';
import type { Element } from '../reading/page/element.js';
import { readTree } from '../reading/page/page-tree.js';
import { parseAddress } from './parse-address.js';
import type { StyledDocument } from './scoped-styles.js';
import type { Screen } from './screen.js';
import { matchesPath } from './speculation.js';
import type { AppliedSheet, StyleIndexes } from './style-index.js';
import { EMPTY_SHEET, type LayerPath, type Sheet } from './style-rules.js';
import { MAX_HOPS, WantedList, type Met } from './wanted-list.js';

/** Seconds after which a page that goes on to another one has not been looked at. */
const SOON = 1;
const MAX_FRAMES = 4;
/** Frames of one page in all. */
const MAX_FRAME_DOCUMENTS = 200;

/** A document whose text is to be read, and where it stands in what is loaded. */
interface DocumentText {
  readonly text: string;
  readonly url: string;
  readonly at: number;
  /** Frames around it. */
  readonly depth: number;
  /** Whether it shares nothing with anybody. */
  readonly apart: boolean;
}

/** A document that is being read. */
interface DocumentAt {
  readonly base: string;
  readonly at: number;
  readonly resolveModule: ResolveModule;
  readonly depth: number;
}

/** Where a sheet goes with its imports before it. */
interface StylePlace {
  readonly by: number;
  readonly layer: LayerPath;
  /** Undefined for one that does not apply. */
  readonly applied: AppliedSheet[] | undefined;
}

/** What is read of styles and modules: it may be known of another page. */
export interface KnownTexts {
  sheet(url: string, answer: SiteAnswer): Promise<Sheet>;
  /** A sheet that stands in a page. */
  inlineSheet(text: string): Sheet;
  imports(url: string, answer: SiteAnswer): Promise<readonly string[]>;
  readonly indexes: StyleIndexes;
}

export class PageDiscovery {
  readonly #site: VisitedSite;
  readonly #screen: Screen;
  readonly #texts: KnownTexts;
  readonly #list: WantedList;
  readonly #others = new Set<string>();
  #scripts = 0;
  #lazy = 0;
  #media = 0;
  #nameless = 0;
  #frames = 0;
  /** Pages that went on to others by themselves. */
  #hops = 0;
  /** Addresses of the document at hand and of those around it. */
  readonly #around: string[] = [];

  constructor(site: VisitedSite, screen: Screen, texts: KnownTexts) {
    this.#site = site;
    this.#screen = screen;
    this.#texts = texts;
    this.#list = new WantedList(site);
  }

  async run(url: string): Promise<PageLoad> {
    const page = await this.#list.add({ url, use: 'page', by: -1, when: 'met', blocking: true });
    if (page) await this.#document(page, 0, false);
    const { hosts, requests } = this.#list.elsewhere;
    return {
      url,
      wanted: this.#list.wanted,
      unknown: {
        scripts: this.#scripts,
        lazy: this.#lazy,
        media: this.#media,
        seen: 0,
        elsewhere: hosts,
        elsewhereRequests: requests,
        others: [...this.#others],
      },
    };
  }

  async #document({ at, url, answer }: Met, depth: number, apart: boolean): Promise<void> {
    const type = fieldOf(answer.headers, 'Content-Type') ?? '';
    if (!isPage(type) && !(depth > 0 && essence(type) === 'image/svg+xml')) return;
    const text = await this.#site.text(url, answer);
    if (text !== undefined) await this.#documentText({ text, url, at, depth, apart });
  }

  async #documentText(document: DocumentText): Promise<void> {
    const isFrame = document.depth > 0;
    if (isFrame && ++this.#frames > MAX_FRAME_DOCUMENTS) return;
    this.#around.push(document.url);
    if (isFrame) await this.#list.within(document, () => this.#loadsOf(document));
    else await this.#loadsOf(document);
    this.#around.pop();
  }

  async #loadsOf({ text, url, at, depth }: DocumentText): Promise<void> {
    const elements = readTree(text);
    const loads = listDocumentLoads(elements, this.#screen, depth === 0);
    this.#scripts += loads.scripts;
    this.#lazy += loads.lazy;
    this.#media += loads.media;
    for (const other of loads.others) this.#others.add(other);
    const base = (loads.base === undefined ? undefined : parseAddress(loads.base, url)) ?? url;
    const document = { base, at, resolveModule: mapModules(loads.mapped, base), depth };
    const trees = new Map<Element | undefined, AppliedSheet[]>([[undefined, []]]);
    for (const item of loads.items) {
      const applied = trees.get(item.scope) ?? [];
      trees.set(item.scope, applied);
      if ('kind' in item) await this.#inline(item, document, applied);
      else await this.#item(item, document, applied);
    }
    const styled = { elements, trees, base, indexes: this.#texts.indexes };
    await this.#waiting(loads, styled, document);
    // A page that is left at once has no time for its icon.
    if (loads.refresh?.seconds !== 0) await this.#icons(loads.icons, document);
    for (const { url: raw, base: from, use } of listStyled(styled, this.#screen)) {
      const target = parseAddress(raw, from);
      const by = this.#list.placeOf(from) ?? at;
      if (target !== undefined)
        await this.#list.add({ url: target, use, by, when: 'layout', blocking: false });
    }
    for (const { sheet } of [...trees.values()].flat())
      for (const other of sheet.others) this.#others.add(other);
    // A page has many links, and few addresses.
    for (const link of new Set(loads.ahead.links)) {
      const target = parseAddress(link, base);
      if (target === undefined || target === url) continue;
      const { pathname } = new URL(target);
      if (loads.ahead.matching.some((each) => matchesPath(each, pathname)))
        await this.#list.addAhead(target, at);
    }
    await this.#goOn(loads, url, document);
  }

  /** A page that goes on at once to another one is only the way there. */
  async #goOn({ refresh }: DocumentLoads, url: string, { base, at: by }: DocumentAt): Promise<void> {
    const target = refresh && refresh.seconds <= SOON ? parseAddress(refresh.url, base) : undefined;
    if (target === undefined || target === url || this.#hops++ >= MAX_HOPS) return;
    this.#list.startAnew();
    const page = await this.#list.add({ url: target, use: 'page', by, when: 'late', blocking: true });
    if (page) await this.#document(page, 0, false);
  }

  /** One after the other, until one fits as well as any that is left says that it does. */
  async #icons(candidates: readonly IconCandidate[], { base, at: by }: DocumentAt): Promise<void> {
    let best = 0;
    let kept: number | undefined;
    const tried: number[] = [];
    for (const [n, candidate] of candidates.entries()) {
      if (!isWorthTrying(candidate, best)) break;
      const url = parseAddress(candidate.url, base);
      const met =
        url === undefined
          ? undefined
          : await this.#list.add({ url, use: 'icon', by, when: 'late', blocking: false });
      if (!met) continue;
      tried.push(met.at);
      if (met.answer.status !== 200) continue;
      if (kept === undefined && n === candidates.length - 1) {
        // There is nothing to choose from.
        kept = met.at;
        break;
      }
      const head = await this.#site.head(met.url, met.answer);
      const { sizes } = candidate;
      const fit = fitOf((head && sizesOf(head)) ?? sizes ?? []);
      if (kept !== undefined && fit <= best) continue;
      best = fit;
      kept = met.at;
    }
    if (tried.length > 1) this.#list.markTried(tried, kept);
  }

  /** What waits is asked for where it stands near enough. */
  async #waiting({ waiting }: DocumentLoads, styled: StyledDocument, document: DocumentAt): Promise<void> {
    if (waiting.length === 0) return;
    const placeOf = placeBoxes(styled, this.#screen);
    for (const { element, asked } of waiting) {
      const { isNear, isSure } = nearnessOf(placeOf(element), this.#screen);
      if (!isSure) this.#lazy++;
      if (!isNear) continue;
      if ('kind' in asked) await this.#inline(asked, document, []);
      else await this.#item(asked, document, []);
    }
  }

  async #item(asked: Asked, document: DocumentAt, applied: AppliedSheet[]): Promise<void> {
    const { use, when, blocking, applies, deep, apart, ahead } = asked;
    const { at: by, depth } = document;
    const url = parseAddress(asked.url, document.base);
    if (url === undefined) return;
    if (use === 'style')
      return this.#style(url, blocking, { by, layer: [], applied: applies === false ? undefined : applied });
    if (use === 'module' && deep) return this.#module(url, by, document.resolveModule);
    // No document stands within itself.
    if (use === 'frame' && this.#around.includes(url)) return;
    if (ahead) return this.#list.addAhead(url, by);
    const met = await this.#list.add({ url, use, by, when, blocking });
    if (met && use === 'frame' && depth < MAX_FRAMES) await this.#document(met, depth + 1, apart ?? false);
  }

  /** What stands in the page itself. */
  async #inline(
    { kind, text, media, apart }: Inline,
    document: DocumentAt,
    applied: AppliedSheet[],
  ): Promise<void> {
    const { base, at, depth, resolveModule } = document;
    if (kind === 'frame') {
      if (depth < MAX_FRAMES)
        await this.#documentText({ text, url: base, at, depth: depth + 1, apart: apart ?? false });
    } else if (kind === 'module') {
      for (const name of staticImports(text))
        await this.#module(resolveModule(name, base), at, resolveModule);
    } else {
      const sheet = this.#texts.inlineSheet(text);
      const fits = matchesMedia(media, this.#screen);
      await this.#importsOf(sheet, base, { by: at, layer: [], applied: fits ? applied : undefined });
      if (fits) applied.push({ sheet, base, layer: [] });
    }
  }

  async #style(url: string, blocking: boolean, { by, layer, applied }: StylePlace): Promise<void> {
    const known = this.#list.placeOf(url);
    const met = await this.#list.add({ url, use: 'style', by, when: 'met', blocking });
    if (!met) {
      // Linked once more, it applies once more.
      const again = known === undefined ? undefined : await this.#site.ask(url);
      if (again && applied) applied.push({ sheet: await this.#texts.sheet(url, again), base: url, layer });
      return;
    }
    if (!isStyle(essence(fieldOf(met.answer.headers, 'Content-Type') ?? ''))) return;
    const sheet = await this.#texts.sheet(met.url, met.answer);
    await this.#importsOf(sheet, met.url, { by: met.at, layer, applied });
    applied?.push({ sheet, base: met.url, layer });
  }

  async #importsOf({ imports, early }: Sheet, base: string, place: StylePlace): Promise<void> {
    const { by, layer, applied } = place;
    if (early.length > 0) applied?.push({ sheet: { ...EMPTY_SHEET, layers: early }, base, layer });
    for (const { url, media, layer: own } of imports) {
      const target = parseAddress(url, base);
      if (target === undefined) continue;
      const fits = matchesMedia(media, this.#screen);
      await this.#style(target, applied !== undefined && fits, {
        by,
        applied: fits ? applied : undefined,
        layer: [
          ...layer,
          // One without a name is like no other.
          ...own.map((name) => (name.startsWith(' ') ? ` ${this.#nameless++}` : name)),
        ],
      });
    }
  }

  async #module(url: string | undefined, by: number, resolveModule: ResolveModule): Promise<void> {
    const queue: { url: string | undefined; by: number }[] = [{ url, by }];
    for (let next = queue.shift(); next; next = queue.shift()) {
      if (next.url === undefined) continue;
      const known = this.#list.placeOf(next.url);
      const met = await this.#list.add({
        url: next.url,
        use: 'module',
        by: next.by,
        when: 'met',
        blocking: false,
      });
      const here = met ?? (known === undefined ? undefined : await this.#preloaded(next.url, known));
      if (!here) continue;
      for (const name of await this.#texts.imports(here.url, here.answer)) {
        const target = resolveModule(name, here.url);
        if (target !== undefined && !this.#list.hasAsked(target)) queue.push({ url: target, by: here.at });
      }
    }
  }

  /** A module that was asked for ahead of its time: what it imports was not. */
  async #preloaded(url: string, at: number): Promise<Met | undefined> {
    const answer = await this.#site.ask(url);
    return answer && { at, url, answer };
  }
}
