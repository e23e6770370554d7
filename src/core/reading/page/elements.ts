/**
 * What is known of HTML's elements, in one table: how a tree is built of each (HTML standard, section 13.2.6), what of it is
 * shown, and which attributes of it lead where. The inspection, visits, versioned names and their docs all go by it.
 */
import { Buffer } from 'node:buffer';
import type { Use } from '../reading.js';

/**
 * `block` closes a paragraph; `flow` does not; `raw` holds text alone; `table part` is a part of one; `unsure` has effects
 * that a scan does not follow.
 */
export type TagKind =
  | 'block'
  | 'flow'
  | 'formatting'
  | 'heading'
  | 'item'
  | 'void'
  | 'rule'
  | 'raw'
  | 'table'
  | 'table part'
  | 'option'
  | 'select'
  | 'form'
  | 'button'
  | 'svg'
  | 'document'
  | 'unsure';

/**
 * `head` may stand in a head; the end tag of what is `implied` may be left out where another ends around it; text in a
 * `marker` hides formatting elements that are open around it; by what `leaves` HTML leaves SVG. `shows` something without
 * a text in it, `hides` what is in it, is `unseen` with its text and all that styles give it; `sized` by its attributes.
 * Set `bold`, `slanted`, `mono` or in a font of its `own`; a line goes on around what is `inline`.
 */
type Trait =
  | 'head'
  | 'implied'
  | 'marker'
  | 'leaves'
  | 'shows'
  | 'hides'
  | 'unseen'
  | 'sized'
  | 'bold'
  | 'slanted'
  | 'mono'
  | 'own'
  | 'inline';

/**
 * When a browser that loads a page asks for what an attribute names: `never` by itself, as soon as it is `met`, or where
 * it is `near` the screen; `outside` means in another document than the page. A `picture` and a `film` choose among what
 * they and the `part`s in them offer; `captions` come with a film. Of `link` and `script` other attributes decide.
 */
export type Asks =
  'never' | 'met' | 'near' | 'outside' | 'picture' | 'film' | 'part' | 'captions' | 'link' | 'script';

/** An element as far as conditions look at it. */
export interface Seen {
  attribute(name: string): string | undefined;
}

/** An attribute that leads somewhere. */
export interface Leads {
  readonly attribute: string;
  readonly use: Use;
  readonly asks: Asks;
  /** Several addresses, as in `srcset`. */
  readonly candidates?: true;
  /** The element's `type` declares the type of what is there. */
  readonly typed?: true;
  /** Of what stands in this element it is another use. */
  readonly within?: readonly [parent: string, use: Use];
  /** Where it leads there at all. */
  readonly only?: (element: Seen) => boolean;
}

export interface Tag {
  /** Lower case. */
  readonly name: string;
  readonly kind: TagKind;
  readonly leads: readonly Leads[];
  /** Whether a reading asks for it, whatever attributes it has. */
  readonly isRead: boolean;
  readonly inHead: boolean;
  readonly isImplied: boolean;
  /** Special elements keep list items apart. */
  readonly isSpecial: boolean;
  readonly isMarker: boolean;
  readonly leavesSvg: boolean;
  has(trait: Trait): boolean;
}

const to = (attribute: string, use: Use, asks: Asks, more: Partial<Leads> = {}): Leads => ({
  attribute,
  use,
  asks,
  ...more,
});
const CITES = to('cite', 'link', 'never');
const BACKGROUND = to('background', 'image', 'met');
const IMAGE_BUTTON = to('src', 'image', 'met', {
  only: (element) => element.attribute('type')?.toLowerCase() === 'image',
});
const FORM_ACTION = to('formaction', 'form', 'never');

/** Each element once: its kind, its traits, and where its attributes lead, in the order in which a browser takes them. */
const TABLE: readonly (readonly [kind: TagKind, traits: string, names: string, ...leads: Leads[]])[] = [
  ['document', '', 'html'],
  ['document', 'leaves hides unseen', 'head'],
  ['document', 'leaves', 'body', BACKGROUND],
  ['raw', 'head hides unseen', 'title'],
  ['raw', 'head hides unseen', 'style'],
  ['raw', 'head hides unseen', 'script', to('src', 'script', 'script')],
  ['flow', 'head hides unseen', 'noscript'],
  ['unsure', 'hides unseen', 'template'],
  ['void', 'head unseen', 'base'],
  ['void', 'head', 'basefont bgsound'],
  ['void', 'head unseen', 'link', to('href', 'link', 'link')],
  ['void', 'head leaves unseen', 'meta', to('content', 'link', 'never')],
  ['void', '', 'wbr'],
  ['void', 'unseen', 'param'],
  ['void', 'leaves', 'br'],
  ['rule', 'leaves', 'hr'],
  [
    'block',
    '',
    'dir nav main aside center figure footer header hgroup dialog details article search section summary fieldset figcaption',
  ],
  ['block', 'slanted', 'address'],
  ['block', 'leaves', 'dl ol ul div menu'],
  ['block', 'implied leaves', 'p'],
  ['block', 'mono leaves', 'pre'],
  ['block', 'leaves', 'blockquote', CITES],
  ['heading', 'bold leaves', 'h1 h2 h3 h4 h5 h6'],
  ['item', 'implied leaves', 'li dd dt'],
  ['formatting', 'inline', 'a', to('href', 'link', 'never')],
  ['formatting', 'bold inline leaves', 'b strong'],
  ['formatting', 'slanted inline leaves', 'i em'],
  ['formatting', 'mono inline leaves', 'code'],
  ['formatting', 'mono leaves', 'tt'],
  ['formatting', 'inline leaves', 's u small'],
  ['formatting', 'leaves', 'big strike'],
  ['formatting', '', 'font'],
  ['flow', 'inline leaves', 'span'],
  ['flow', 'leaves', 'ruby sub sup'],
  ['flow', 'slanted leaves', 'var'],
  ['flow', 'slanted', 'cite dfn'],
  ['flow', 'mono', 'kbd samp'],
  ['flow', 'inline', 'abbr time'],
  ['flow', '', 'label'],
  ['flow', 'inline', 'q', CITES],
  ['flow', '', 'ins del', CITES],
  ['flow', 'unseen', 'datalist'],
  ['table', 'leaves', 'table', BACKGROUND],
  ['table part', 'marker', 'caption'],
  ['table part', 'unseen', 'col colgroup'],
  ['table part', '', 'thead tbody tfoot tr'],
  ['table part', 'marker', 'td', BACKGROUND],
  ['table part', 'bold marker', 'th', BACKGROUND],
  [
    'void',
    'shows sized leaves',
    'img',
    to('src', 'image', 'picture'),
    to('srcset', 'image', 'part', { candidates: true }),
  ],
  ['flow', 'shows', 'picture'],
  [
    'void',
    'unseen',
    'source',
    to('srcset', 'image', 'part', { candidates: true, typed: true }),
    to('src', 'media', 'part', { typed: true, within: ['picture', 'image'] }),
  ],
  ['flow', 'shows sized', 'video', to('poster', 'image', 'met'), to('src', 'media', 'film')],
  ['flow', 'shows', 'audio', to('src', 'media', 'film')],
  ['void', 'unseen', 'track', to('src', 'captions', 'captions')],
  ['void', 'unseen', 'area', to('href', 'link', 'never')],
  ['raw', 'shows sized', 'iframe', to('src', 'frame', 'near')],
  ['unsure', 'shows', 'frameset'],
  ['unsure', '', 'frame', to('src', 'frame', 'met')],
  ['void', 'shows leaves', 'embed', to('src', 'frame', 'met')],
  ['flow', 'marker shows', 'object', to('data', 'frame', 'met', { typed: true })],
  ['flow', 'shows sized', 'canvas'],
  ['svg', 'shows sized', 'svg'],
  ['unsure', '', 'image', to('href', 'image', 'met')],
  ['flow', '', 'feimage', to('href', 'image', 'met')],
  ['flow', '', 'use', to('href', 'image', 'outside')],
  ['form', 'shows', 'form', to('action', 'form', 'never')],
  ['void', 'shows own', 'input', IMAGE_BUTTON, FORM_ACTION],
  ['button', 'own', 'button', FORM_ACTION],
  ['select', 'own', 'select'],
  ['option', 'implied', 'option optgroup'],
  ['raw', 'own', 'textarea'],
  ['unsure', '', 'math plaintext xmp listing noembed noframes nobr rb rtc rp rt applet marquee keygen'],
];

/** What decides beside the addresses what they are for, and what rules ask of every element. */
const DECIDING = [
  ...['id', 'name', 'style', 'type', 'rel', 'as', 'crossorigin', 'integrity', 'imagesrcset', 'http-equiv'],
  ...['property', 'formmethod', 'method'],
];

/** Every attribute that is asked for. */
export const READ_ATTRIBUTES: ReadonlySet<string> = new Set([
  ...TABLE.flatMap(([, , , ...leads]) => leads.map(({ attribute }) => attribute)),
  ...DECIDING,
]);

const NOT_SPECIAL = new Set<TagKind>(['formatting', 'flow', 'option', 'svg']);
/** What is read though none of its attributes leads anywhere. */
const READ = new Set(['base', 'style']);

function makeTag(name: string, kind: TagKind, traits: ReadonlySet<string>, leads: readonly Leads[]): Tag {
  return {
    name,
    kind,
    leads,
    isRead: leads.length > 0 || READ.has(name) || traits.has('shows'),
    inHead: traits.has('head'),
    isImplied: traits.has('implied'),
    isSpecial: (!NOT_SPECIAL.has(kind) && name !== 'dialog') || name === 'object' || name === 'noscript',
    isMarker: traits.has('marker'),
    leavesSvg: traits.has('leaves'),
    has: (trait) => traits.has(trait),
  };
}

/** The elements that the table knows. */
export const TAGS: ReadonlyMap<string, Tag> = new Map(
  TABLE.flatMap(([kind, traits, names, ...leads]) => {
    const own = new Set(traits.split(' '));
    return names.split(' ').map((name) => [name, makeTag(name, kind, own, leads)] as const);
  }),
);

/** Elements that HTML does not know, as far as they were met: they flow. */
const OTHERS = new Map<string, Tag>();
const MAX_OTHERS = 1000;
const NO_TRAITS: ReadonlySet<string> = new Set();

/** Any element there is. @param name lower case */
export function tagOf(name: string): Tag {
  const known = TAGS.get(name) ?? OTHERS.get(name);
  if (known) return known;
  // A copy of the name, which is a slice of a whole page.
  const tag = makeTag(Buffer.from(name).toString(), 'flow', NO_TRAITS, []);
  if (OTHERS.size < MAX_OTHERS && name.length < 40) OTHERS.set(tag.name, tag);
  return tag;
}
