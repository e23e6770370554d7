/** Chooses how an object's text is read. */
import { essence } from '../../assign/media-type.js';
import { isPage, isScript, isStyle } from '../../assign/defaults.js';
import { extension } from '../../site/key.js';
import type { SiteObject } from '../../site/site-object.js';
import { readFeed, readManifest, readMap } from './read-data.js';
import { readPage } from './read-page.js';
import { scanPage } from './scan-page.js';
import { readScript } from './read-script.js';
import { readStyle } from './read-style.js';
import type { Reading, ReadingKind } from './reading.js';

/** Texts above this are data under another name; bytes. */
export const MOST_READ = 32 * 2 ** 20;

const FEED_TYPE = /^(?:application\/(?:rss|atom|rdf)\+xml)$/;
const FEED_NAME = /(?:^|\/)(?:sitemap[\w.-]*|feed|rss|atom|index)\.xml$|\.(?:atom|rss)$/i;

/** Whether an object is a feed or a sitemap, by its type or its name. */
export const isFeedObject = (key: string, type: string): boolean =>
  FEED_TYPE.test(essence(type)) || FEED_NAME.test(key);

/**
 * What an object is read as; undefined when there is nothing in it to read. The name counts beside the type, since
 * a wrong type is one of the things looked for.
 */
export function readingKind({ key, headers, size }: SiteObject): ReadingKind | undefined {
  if (size === 0 || size > MOST_READ) return undefined;
  const type = essence(headers['Content-Type'] ?? '');
  const ending = extension(key);
  if (isPage(type)) return 'page';
  if (isStyle(type) || ending === 'css') return 'style';
  if ((isScript(type) && type !== 'application/wasm') || ending === 'js' || ending === 'mjs') return 'script';
  if (type === 'application/manifest+json' || ending === 'webmanifest') return 'manifest';
  if (isFeedObject(key, type)) return 'feed';
  return undefined;
}

const DATA_TYPE =
  /^(?:image\/svg\+xml|(?:text|application)\/(?:xml|json)|application\/[\w.-]+\+(?:xml|json))$/;

/** What an object is read as by whoever gives it another name: source maps too, and data that may name others. */
export function renamingKind(object: SiteObject): ReadingKind | undefined {
  const kind = readingKind(object);
  if (kind !== undefined || object.size === 0 || object.size > MOST_READ) return kind;
  if (extension(object.key) === 'map') return 'map';
  return DATA_TYPE.test(essence(object.headers['Content-Type'] ?? '')) ? 'data' : undefined;
}

const READERS: Readonly<Record<ReadingKind, (text: string) => Reading>> = {
  page: (text) => scanPage(text) ?? readPage(text),
  style: readStyle,
  script: readScript,
  manifest: readManifest,
  feed: readFeed,
  map: readMap,
  data: () => ({ kind: 'data', references: [] }),
};

/** Whatever the text is, there is a reading of it; one that nests too deeply has a fault. */
export function readObject(kind: ReadingKind, text: string): Reading {
  try {
    return READERS[kind](kind === 'page' ? asHtml(text) : text);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { kind, references: [], fault: { because: 'it nests too deeply', line: 1 } };
  }
}

const NEVER_VOID =
  /<(a|audio|canvas|div|iframe|object|p|script|span|style|textarea|title|video)(\s[^<>]*)?\/>/g;

/** XHTML may close any element in its start tag; read as HTML it would swallow what follows. */
const asHtml = (text: string): string =>
  text.startsWith('<?xml') ? text.replace(NEVER_VOID, '<$1$2></$1>') : text;
