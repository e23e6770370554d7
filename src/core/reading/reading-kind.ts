/** What an object's text is read as. */
import { essence } from '../assign/media-type.js';
import { isFeedObject, isPage, isScript, isStyle } from '../assign/defaults.js';
import { extension } from '../site/key.js';
import type { SiteObject } from '../site/site-object.js';
import type { ReadingKind } from './reading.js';

/** Texts above this are data under another name; bytes. */
export const MAX_READ = 32 * 2 ** 20;

/**
 * What an object is read as; undefined when there is nothing in it to read. The name counts beside the type, since
 * a wrong type is one of the things looked for.
 */
export function readingKind({ key, headers, size }: SiteObject): ReadingKind | undefined {
  if (size === 0 || size > MAX_READ) return undefined;
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
  if (kind !== undefined || object.size === 0 || object.size > MAX_READ) return kind;
  const ending = extension(object.key);
  if (ending === 'map') return 'map';
  if (ending === 'gltf') return 'model';
  if (ending === 'vtt') return 'captions';
  if (ending === 'm3u8' || ending === 'm3u') return 'playlist';
  if (essence(object.headers['Content-Type'] ?? '') === 'image/svg+xml') return 'svg';
  return DATA_TYPE.test(essence(object.headers['Content-Type'] ?? '')) ? 'data' : undefined;
}
