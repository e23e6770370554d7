/** Finds what pages ask for. */
import { staticImports } from '../reading/read-script.js';
import { PageDiscovery } from './page-discovery.js';
import type { PageLoad, SiteAnswer, VisitedSite } from './page-load.js';
import type { Screen } from './screen.js';
import { pathOf } from '../words/path-of.js';
import { addSeen, screenMark, type SeenPages } from './seen-requests.js';
import { StyleIndexes } from './style-index.js';
import { EMPTY_SHEET, readSheet, type Sheet } from './style-rules.js';

/** Sheets in pages that are kept for the next page, and the letters of the longest of them. */
const [MAX_INLINE, MAX_LETTERS] = [100, 100_000];

/** What was read of styles and modules is kept for the next page. */
export class Discoverer {
  readonly #site: VisitedSite;
  readonly #screen: Screen;
  readonly #seen: SeenPages | undefined;
  readonly #sheets = new Map<string, Promise<Sheet>>();
  readonly #inline = new Map<string, Sheet>();
  readonly #imports = new Map<string, Promise<readonly string[]>>();
  readonly #indexes: StyleIndexes;

  /** @param seen what a browser was seen to ask for */
  constructor(site: VisitedSite, screen: Screen, seen?: SeenPages) {
    this.#site = site;
    this.#screen = screen;
    this.#seen = seen;
    this.#indexes = new StyleIndexes(screen);
  }

  async page(url: string): Promise<PageLoad> {
    const load = new PageDiscovery(this.#site, this.#screen, {
      sheet: (address, answer) => this.#sheet(address, answer),
      inlineSheet: (text) => this.#inlineSheet(text),
      indexes: this.#indexes,
      imports: (address, answer) => this.#importsOf(address, answer),
    });
    const found = await load.run(withoutFragment(url));
    const seen = this.#seen?.of(pathOf(found.url), screenMark(this.#screen));
    return seen ? addSeen(found, seen, (each) => this.#site.ask(each)) : found;
  }

  async #sheet(url: string, answer: SiteAnswer): Promise<Sheet> {
    if (answer.status !== 200) return EMPTY_SHEET;
    let sheet = this.#sheets.get(url);
    if (!sheet)
      this.#sheets.set(
        url,
        (sheet = this.#site
          .text(url, answer)
          .then((text) => (text === undefined ? EMPTY_SHEET : readSheet(text)))),
      );
    return sheet;
  }

  #inlineSheet(text: string): Sheet {
    if (text.length > MAX_LETTERS) return readSheet(text);
    let sheet = this.#inline.get(text);
    if (!sheet) {
      if (this.#inline.size >= MAX_INLINE) this.#inline.clear();
      this.#inline.set(text, (sheet = readSheet(text)));
    }
    return sheet;
  }

  async #importsOf(url: string, answer: SiteAnswer): Promise<readonly string[]> {
    if (answer.status !== 200) return [];
    let imports = this.#imports.get(url);
    if (!imports)
      this.#imports.set(
        url,
        (imports = this.#site
          .text(url, answer)
          .then((text) => (text === undefined ? [] : staticImports(text)))),
      );
    return imports;
  }
}

const withoutFragment = (url: string): string => url.split('#', 1)[0] ?? url;
