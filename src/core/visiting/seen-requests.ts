/**
 * What a real browser was seen to ask for on a page, and the model could not know: what scripts ask for, and how near
 * lazy pictures stand. It holds as long as the page, its styles and its scripts are the same.
 */
import { fieldOf } from '../caching/freshness.js';
import { pathOf } from '../words/path-of.js';
import type { LoadUse, PageLoad, SiteAnswer, Wanted } from './page-load.js';
import type { Screen } from './screen.js';

export interface SeenRequest {
  /** The path with its query. */
  readonly path: string;
  readonly use: LoadUse;
}

/** One page as a browser was seen to load it. */
export interface SeenPage {
  /** The path with its query. */
  readonly page: string;
  readonly screen: string;
  /** The page, its styles and its scripts, each by its path and its validator. */
  readonly texts: readonly string[];
  readonly asked: readonly SeenRequest[];
  /** Paths that were not asked for, though they might have been. */
  readonly notAsked: readonly string[];
}

/** Everything that was seen, by page and screen. */
export interface SeenPages {
  of(page: string, screen: string): SeenPage | undefined;
  /** On whatever screen. */
  all(page: string): readonly SeenPage[];
}

type Ask = (url: string) => Promise<SiteAnswer | undefined>;

export const screenMark = ({ width, height, density }: Screen): string => `${width}x${height}@${density}`;

/** What decides what a page asks for. */
const DECIDING = new Set<LoadUse>(['page', 'frame', 'style', 'script', 'module']);
/** What browsers ask for in their own way, whatever the page says. */
const BY_ITSELF = new Set<LoadUse>(['page', 'icon', 'manifest', 'media', 'prefetch']);

/** A text by its path and its validator. @param answer undefined for what another host gives */
export const markOf = (path: string, answer: Pick<SiteAnswer, 'status' | 'headers'> | undefined): string =>
  `${path} ${answer?.status ?? 'elsewhere'} ${(answer && (fieldOf(answer.headers, 'ETag') ?? fieldOf(answer.headers, 'Last-Modified'))) ?? ''}`;

/** The path of a text that `markOf` has made. */
export const pathOfMark = (mark: string): string => mark.split(' ', 1)[0] ?? '';

async function listTexts(load: PageLoad, asked: readonly SeenRequest[], ask: Ask): Promise<string[]> {
  const paths = new Set<string>();
  for (const { url, use } of load.wanted) if (DECIDING.has(use)) paths.add(pathOf(url));
  for (const { path, use } of asked) if (DECIDING.has(use)) paths.add(path);
  const marks: string[] = [];
  for (const path of paths) marks.push(markOf(path, await ask(new URL(path, load.url).href)));
  return marks.sort();
}

/**
 * What is worth remembering of a page.
 * @param load as the model has it, of which nothing was seen before
 * @param requests all that the browser asked for or took from its cache in a first visit
 * @returns undefined where the model knows all by itself
 */
export async function rememberSeen(
  load: PageLoad,
  screen: Screen,
  requests: readonly SeenRequest[],
  ask: Ask,
): Promise<SeenPage | undefined> {
  const { scripts, lazy } = load.unknown;
  if (scripts === 0 && lazy === 0) return undefined;
  const known = new Set(load.wanted.map(({ url }) => pathOf(url)));
  const seen = new Map(requests.map((request) => [request.path, request]));
  const asked = [...seen.values()].filter(
    ({ path, use }) => !known.has(path) && use !== 'page' && use !== 'icon',
  );
  const notAsked = load.wanted
    .filter(({ use, url }) => !BY_ITSELF.has(use) && !seen.has(pathOf(url)))
    .map(({ url }) => pathOf(url));
  return {
    page: pathOf(load.url),
    screen: screenMark(screen),
    texts: await listTexts(load, asked, ask),
    asked,
    notAsked: [...new Set(notAsked)],
  };
}

/** The same load with what was seen; as it is where a text has changed since. */
export async function addSeen(load: PageLoad, seen: SeenPage, ask: Ask): Promise<PageLoad> {
  const texts = await listTexts(load, seen.asked, ask);
  if (texts.length !== seen.texts.length || texts.some((text, at) => text !== seen.texts[at])) return load;
  const { wanted, places } = leaveOut(load.wanted, new Set(seen.notAsked));
  const met = new Set(wanted.map(({ url }) => url));
  for (const { path, use } of seen.asked) {
    const url = new URL(path, load.url).href;
    if (met.has(url) || !(await ask(url))) continue;
    wanted.push({ url, use, by: places[0] ?? 0, when: 'late', blocking: false, seen: true });
  }
  const { scripts, lazy } = load.unknown;
  return { ...load, wanted, unknown: { ...load.unknown, scripts: 0, lazy: 0, seen: scripts + lazy } };
}

/** @returns what is left, and the new places of all */
function leaveOut(
  wanted: readonly Wanted[],
  paths: ReadonlySet<string>,
): { readonly wanted: Wanted[]; readonly places: readonly number[] } {
  const left: Wanted[] = [];
  const places: number[] = [];
  for (const [at, each] of wanted.entries()) {
    const by = each.by < 0 ? -1 : (places[each.by] ?? 0);
    // What is met in something that nobody asked for is met in the page.
    places[at] = by < 0 ? left.length : by;
    if (paths.has(pathOf(each.url)) && !BY_ITSELF.has(each.use)) continue;
    places[at] = left.push({ ...each, by }) - 1;
  }
  return { wanted: left, places };
}
