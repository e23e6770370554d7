/** What a page has asked for so far, in order: each address once for each document, redirects followed. */
import { fieldOf } from '../caching/freshness.js';
import type { SiteAnswer, VisitedSite, Wanted } from './page-load.js';
import { parseAddress } from './parse-address.js';

/** Redirects in a row that a browser follows. */
export const MAX_HOPS = 20;
/** What one page may ask for; more is no page but an attack. */
const MAX_WANTED = 20_000;

/** Something that is there, and where it stands in the list. */
export interface Met {
  readonly at: number;
  readonly url: string;
  readonly answer: SiteAnswer;
}

export class WantedList {
  readonly #site: VisitedSite;
  readonly #wanted: Wanted[] = [];
  /** What the document at hand has asked for: what was meant to be asked for, not where that led to. */
  #asked = new Set<string>();
  /** What was not there. */
  readonly #failed = new Set<string>();
  /** Where each address of the document at hand stands in the list. */
  #places = new Map<string, number>();
  readonly #elsewhere = new Set<string>();
  #elsewhereRequests = 0;
  /** Whether the document at hand shares nothing with anybody. */
  #apart = false;

  constructor(site: VisitedSite) {
    this.#site = site;
  }

  get wanted(): readonly Wanted[] {
    return this.#wanted;
  }

  /** Other hosts, and how often they were asked. */
  get elsewhere(): { readonly hosts: readonly string[]; readonly requests: number } {
    return { hosts: [...this.#elsewhere], requests: this.#elsewhereRequests };
  }

  hasAsked(url: string): boolean {
    return this.#asked.has(url);
  }

  placeOf(url: string): number | undefined {
    return this.#places.get(url);
  }

  /** Asks for an address and, where it leads on, for the next. @returns undefined where it leads away, or was met before */
  async add(wanted: Omit<Wanted, 'apart' | 'ahead' | 'tried' | 'seen'>): Promise<Met | undefined> {
    const { use, when, blocking } = wanted;
    let { url, by } = wanted;
    const raw = url;
    // An icon is asked for by the browser's own hand, whatever the page has asked for.
    const mark = use === 'icon' ? `icon ${raw}` : raw;
    // Each frame is a document of its own; a script that was not there is looked for again.
    const isAnew = use === 'frame' || (use === 'script' && this.#failed.has(raw));
    if (this.#asked.has(mark) && !isAnew) return undefined;
    this.#asked.add(mark);
    const apart = this.#apart ? { apart: true as const } : {};
    for (let hops = 0; hops <= MAX_HOPS; hops++) {
      if (this.#wanted.length >= MAX_WANTED) return undefined;
      const answer = await this.#site.ask(url);
      if (!answer) {
        if (/^https?:/.test(url)) {
          this.#elsewhere.add(new URL(url).host);
          this.#elsewhereRequests++;
        }
        return undefined;
      }
      const at = this.#wanted.push({ url, use, by, when: hops === 0 ? when : 'met', blocking, ...apart }) - 1;
      this.#places.set(url, at);
      if (answer.status >= 400) this.#failed.add(raw);
      const next = isRedirect(answer.status)
        ? parseAddress(fieldOf(answer.headers, 'Location') ?? '', url)
        : undefined;
      if (next === undefined) return { at, url, answer };
      [url, by] = [next, at];
    }
    return undefined;
  }

  /** A page that is fetched ahead of its time. */
  async addAhead(url: string, by: number): Promise<void> {
    const from = this.#wanted.length;
    await this.add({ url, use: 'prefetch', by, when: 'late', blocking: false });
    for (let n = from; n < this.#wanted.length; n++) this.#change(n, { ahead: true });
  }

  /** Icons that were tried one after the other. @param places of them @param kept the place of the one that is shown */
  markTried(places: readonly number[], kept: number | undefined): void {
    for (const [n, place] of places.entries())
      this.#change(place, { tried: { isFirst: n === 0, isKept: place === kept } });
  }

  /** A document in a frame asks for what it needs itself, whatever others have asked for. */
  async within(
    document: { url: string; at: number; apart: boolean },
    load: () => Promise<void>,
  ): Promise<void> {
    const [asked, places, apart] = [this.#asked, this.#places, this.#apart];
    this.#asked = new Set([document.url]);
    this.#places = new Map([[document.url, document.at]]);
    this.#apart ||= document.apart;
    await load();
    this.#asked = asked;
    this.#places = places;
    this.#apart = apart;
  }

  /** Another page comes: it asks for everything itself. */
  startAnew(): void {
    this.#asked = new Set();
    this.#places = new Map();
  }

  #change(at: number, more: Partial<Wanted>): void {
    const wanted = this.#wanted[at];
    if (wanted) this.#wanted[at] = { ...wanted, ...more };
  }
}

const isRedirect = (status: number): boolean => [301, 302, 303, 307, 308].includes(status);
