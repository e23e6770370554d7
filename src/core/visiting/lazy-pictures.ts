/** How far down a page something stands. Only a layout knows; this is an estimate, and is said to be one. */
import type { Element } from '../reading/page/element.js';
import { tagOf } from '../reading/page/elements.js';
import type { Screen } from './screen.js';

/** Pictures are asked for when they are nearer than this below the screen; CSS pixels, as browsers do. */
const NEAR = 1250;
const LETTER = 8;
const LINE = 26;
const HEADING = 56;
const BLOCK = 16;
const PICTURE = 300;
/** Text is seldom set wider. */
const COLUMN = 720;
const HEADINGS = /^h[1-3]$/;
const BLOCKS =
  /^(?:p|li|dt|dd|tr|figure|figcaption|pre|blockquote|section|article|header|footer|main|nav|hr)$/;

export interface Distance {
  readonly isNear: boolean;
  /** Whether the estimate is far enough from the border to be believed. */
  readonly isSure: boolean;
}

/** The distance of every lazy picture and frame. @param elements of a page, in its order */
export function estimateDistances(elements: readonly Element[], screen: Screen): Map<Element, Distance> {
  const distances = new Map<Element, Distance>();
  const border = screen.height + NEAR;
  const column = Math.min(screen.width, COLUMN);
  let top = 0;
  for (const element of elements) {
    const { name, attributes, text } = element;
    if (attributes.get('loading')?.toLowerCase() === 'lazy')
      distances.set(element, { isNear: top < border, isSure: top < border / 2 || top > border * 2 });
    if (isHead(element)) continue;
    top += Math.ceil((text.trim().length * LETTER) / column) * LINE;
    if (HEADINGS.test(name)) top += HEADING;
    else if (BLOCKS.test(name)) top += BLOCK;
    else if (tagOf(name).has('sized')) top += heightOf(attributes, column);
  }
  return distances;
}

const isHead = ({ name, parent }: Element): boolean =>
  name === 'head' || parent?.name === 'head' || name === 'script' || name === 'style';

function heightOf(attributes: ReadonlyMap<string, string>, column: number): number {
  const [width, height] = ['width', 'height'].map((name) => Number.parseFloat(attributes.get(name) ?? ''));
  if (!height || Number.isNaN(height)) return PICTURE;
  return width && width > column ? (height * column) / width : height;
}
