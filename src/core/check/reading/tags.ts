/** What building a tree does with each element of HTML (HTML standard, section 13.2.6), as far as a scan can follow it. */
import { READ_ELEMENTS, SHOWS } from './page-elements.js';

/**
 * `block` closes a paragraph; `flow` does not; `raw` holds text alone; `table` is a part of one; `unsure` has effects that
 * a scan does not follow.
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

export interface Tag {
  readonly name: string;
  readonly kind: TagKind;
  /** Whether a reading asks for it, whatever attributes it has. */
  readonly isRead: boolean;
  /** Whether it may stand in a head. */
  readonly inHead: boolean;
  /** Whether its end tag may be left out where another ends around it. */
  readonly isImplied: boolean;
  /** Special elements keep list items apart. */
  readonly isSpecial: boolean;
  /** Whether text in it hides formatting elements that are open around it. */
  readonly isMarker: boolean;
  /** Whether HTML leaves SVG by its start tag. */
  readonly leavesSvg: boolean;
}

const words = (text: string): string[] => text.split(' ');

const KINDS: readonly (readonly [TagKind, string])[] = [
  [
    'block',
    'p dl ol ul div dir nav main menu aside center figure footer header hgroup dialog details address article search section summary fieldset blockquote figcaption pre',
  ],
  ['formatting', 'a b big code em font i s small strike strong tt u'],
  ['heading', 'h1 h2 h3 h4 h5 h6'],
  ['item', 'li dd dt'],
  ['void', 'area base basefont bgsound br embed img input link meta param source track wbr'],
  ['rule', 'hr'],
  ['raw', 'script style title textarea iframe'],
  ['table', 'table'],
  ['table part', 'caption col colgroup tbody td tfoot th thead tr'],
  ['option', 'option optgroup'],
  ['select', 'select'],
  ['form', 'form'],
  ['button', 'button'],
  ['svg', 'svg'],
  ['document', 'html head body'],
  [
    'unsure',
    'template frameset frame math image plaintext xmp listing noembed noframes nobr rb rtc rp rt applet marquee keygen',
  ],
  [
    'flow',
    'span label video audio picture object canvas noscript cite q ins del sup sub var kbd samp time abbr',
  ],
];

const IN_HEAD = new Set(words('base basefont bgsound link meta title script style noscript'));
const IMPLIED = new Set(words('dd dt li optgroup option p'));
const NOT_SPECIAL = new Set<TagKind>(['formatting', 'flow', 'option', 'svg']);
const MARKERS = new Set(words('td th caption object'));
const LEAVES_SVG = new Set(
  words(
    'b big blockquote body br center code dd div dl dt em embed h1 h2 h3 h4 h5 h6 head hr i img li menu meta ol p pre ruby s small span strong strike sub sup table tt u ul var',
  ),
);

const makeTag = (name: string, kind: TagKind): Tag => ({
  name,
  kind,
  isRead: READ_ELEMENTS.has(name) || SHOWS.has(name),
  inHead: IN_HEAD.has(name),
  isImplied: IMPLIED.has(name),
  isSpecial: (!NOT_SPECIAL.has(kind) && name !== 'dialog') || name === 'object' || name === 'noscript',
  isMarker: MARKERS.has(name),
  leavesSvg: LEAVES_SVG.has(name),
});

const TAGS: ReadonlyMap<string, Tag> = new Map(
  KINDS.flatMap(([kind, names]) => words(names).map((name) => [name, makeTag(name, kind)] as const)),
);

/** Elements that HTML does not know, as far as they were met: they flow. */
const OTHERS = new Map<string, Tag>();
const MAX_OTHERS = 1000;

/** Any element there is. @param name lower case */
export function tagOf(name: string): Tag {
  const known = TAGS.get(name) ?? OTHERS.get(name);
  if (known) return known;
  const tag = makeTag(name, 'flow');
  // A copy of the name, which is a slice of a whole page.
  if (OTHERS.size < MAX_OTHERS && name.length < 40) OTHERS.set(Buffer.from(name).toString(), tag);
  return tag;
}
