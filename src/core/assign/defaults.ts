/** The cache policy that an object gets when the config says nothing of it. */
import type { CachePolicy } from '../caching/cache-result.js';
import { parseCache } from '../caching/policy.js';
import { hasContentHash } from '../site/names.js';
import { essence } from './media-type.js';

export interface DefaultCache {
  readonly by: string;
  readonly policy: CachePolicy;
  /** True for the last default, which `otherwise` takes the place of. */
  readonly fallback: boolean;
}

const policy = (text: string): CachePolicy => {
  const result = parseCache(text);
  if ('faults' in result) throw new Error(`default cache policy: ${text}`);
  return result.policy;
};

const make = (by: string, text: string, fallback = false): DefaultCache => ({
  by: `default: ${by}`,
  policy: policy(text),
  fallback,
});

const PAGES = make('pages ask every time', 'revalidate');
const FEEDS = make('feeds and manifests ask every time', 'revalidate');
const DATA = make('JSON asks every time', 'revalidate');
const CODE = make('styles and scripts ask every time', 'revalidate');
const HASHED = make('the name carries a content hash', 'forever');
/** What the config gives a name with a hash. */
export const VERSIONED_DEFAULT = make('the name is versioned', 'forever');
const REST = make('the rest', '1 hour', true);

export const isPage = (type: string): boolean => {
  const plain = essence(type);
  return plain === 'text/html' || plain === 'application/xhtml+xml';
};
const FEED =
  /^(?:application\/(?:rss|atom|rdf)\+xml|application\/feed\+json|(?:text|application)\/xml|application\/manifest\+json|text\/cache-manifest)$/;
export const isScript = (type: string): boolean =>
  /^(?:text|application)\/(?:x-)?(?:java|ecma)script$/.test(essence(type)) ||
  essence(type) === 'application/wasm';
export const isStyle = (type: string): boolean => essence(type) === 'text/css';
export const isJson = (type: string): boolean => /^(?:application|text)\/json$|\+json$/.test(essence(type));
export const isFeed = (type: string): boolean => FEED.test(essence(type));

const FEED_TYPE = /^(?:application\/(?:rss|atom|rdf)\+xml)$/;
const FEED_NAME = /(?:^|\/)(?:sitemap[\w.-]*|feed|rss|atom|index)\.xml$|\.(?:atom|rss)$/i;

/** Whether an object is a feed or a sitemap, by its type or its name. */
export const isFeedObject = (key: string, type: string): boolean =>
  FEED_TYPE.test(essence(type)) || FEED_NAME.test(key);

/** @param type the object's Content-Type; '' when it has none */
export function cacheDefault(key: string, type: string): DefaultCache {
  if (isPage(type)) return PAGES;
  if (isFeed(type)) return FEEDS;
  if (hasContentHash(key)) return HASHED;
  if (isJson(type)) return DATA;
  if (isScript(type) || isStyle(type)) return CODE;
  return REST;
}
