/** What is known of HTML's elements: which of them refer to something, show something, or hide what is in them. */
import type { Use } from './reading.js';

/** Attributes that hold one address, by element; what depends on other attributes is in `special`. */
export const PLAIN: ReadonlyMap<string, readonly (readonly [attribute: string, use: Use])[]> = new Map(
  Object.entries({
    a: [['href', 'link']],
    area: [['href', 'link']],
    img: [['src', 'image']],
    video: [
      ['src', 'media'],
      ['poster', 'image'],
    ],
    audio: [['src', 'media']],
    track: [['src', 'captions']],
    iframe: [['src', 'frame']],
    frame: [['src', 'frame']],
    embed: [['src', 'frame']],
    object: [['data', 'frame']],
    body: [['background', 'image']],
    table: [['background', 'image']],
    td: [['background', 'image']],
    th: [['background', 'image']],
    blockquote: [['cite', 'link']],
    q: [['cite', 'link']],
    ins: [['cite', 'link']],
    del: [['cite', 'link']],
    image: [['href', 'image']],
    use: [['href', 'image']],
    feimage: [['href', 'image']],
  }),
);

const SPECIAL = ['base', 'link', 'script', 'style', 'source', 'input', 'button', 'form', 'meta'];

/** Elements that matter for what they are; of others only an id and a style do. */
export const READ_ELEMENTS: ReadonlySet<string> = new Set([...PLAIN.keys(), ...SPECIAL]);

/** Every attribute that is asked for. */
export const READ_ATTRIBUTES: ReadonlySet<string> = new Set([
  ...[...PLAIN.values()].flat().map(([attribute]) => attribute),
  ...['id', 'name', 'style', 'type', 'srcset', 'imagesrcset', 'formaction', 'formmethod', 'action', 'method'],
  ...['rel', 'as', 'crossorigin', 'content', 'http-equiv', 'property', 'integrity'],
]);

const PRELOADS = {
  style: 'style',
  script: 'script',
  font: 'font',
  image: 'image',
  video: 'media',
  audio: 'media',
  track: 'captions',
  fetch: 'data',
  document: 'frame',
} as const satisfies Record<string, Use>;

/** What a preload says that it is for. */
export const PRELOADED: ReadonlyMap<string, (typeof PRELOADS)[keyof typeof PRELOADS]> = new Map(
  Object.entries(PRELOADS),
);

/** Elements that show something though they hold no text. */
export const SHOWS: ReadonlySet<string> = new Set([
  'img',
  'video',
  'audio',
  'iframe',
  'object',
  'embed',
  'canvas',
  'svg',
  'form',
  'input',
  'picture',
  'frameset',
]);
/** Elements of which nothing inside is shown. */
export const HIDDEN: ReadonlySet<string> = new Set([
  'script',
  'style',
  'template',
  'title',
  'head',
  'noscript',
]);

/** Types by which scripts say that they are scripts, lower case. */
export const JAVASCRIPT =
  /^(?:text|application)\/(?:x-)?(?:java|ecma)script$|^text\/(?:jscript|livescript|javascript1\.[0-5])$/;
