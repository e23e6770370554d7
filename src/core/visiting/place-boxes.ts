/**
 * How far down a page its elements stand, as far as that is cheap: heights, ratios, margins and padding that are set,
 * rows, columns and grids; lines by the number of letters. An estimate, and said to be one where it is near the border.
 */
import type { Element } from '../reading/page/element.js';
import { tagOf } from '../reading/page/elements.js';
import { lineFor, NORMAL_LINE, readBoxStyle, type Around, type BoxStyle } from './box-styles.js';
import { Computed, registeredIn } from './computed-values.js';
import { namesInAttributes, newWork, NO_VALUES, type CustomValues } from './custom-values.js';
import type { Screen } from './screen.js';
import { ScopedStyles, type StyledDocument } from './scoped-styles.js';

export interface Placed {
  /** Whether it has a box at all. */
  readonly isShown: boolean;
  /** CSS pixels from the top of the page. */
  readonly top: number;
}

/** The width of a letter beside its size. */
const LETTER = 0.45;
/** Heights of what has none set, and whose content is not there yet. */
const OWN_HEIGHTS = new Map(
  Object.entries({
    iframe: 154,
    video: 150,
    canvas: 150,
    svg: 150,
    object: 150,
    embed: 150,
    input: 21,
    button: 21,
    select: 19,
    textarea: 36,
    hr: 2,
    audio: 54,
  }),
);
const OWN_WIDTHS = new Map(
  Object.entries({
    iframe: 304,
    video: 300,
    canvas: 300,
    svg: 300,
    object: 300,
    input: 150,
    textarea: 180,
    audio: 300,
  }),
);

interface Box {
  readonly style: BoxStyle;
  /** That its children have. */
  readonly inner: number;
  readonly custom: CustomValues;
  height: number;
  /** Of its margins, those of its first and last child too where nothing is between them. */
  marginTop: number;
  marginBottom: number;
  /** Of the children: their places below the top of its content. */
  readonly below: Map<Box, number>;
  /** Letters and small things in its lines: how wide they are together, and how high the highest. */
  run: { width: number; height: number };
}

export function placeBoxes(document: StyledDocument, screen: Screen): (element: Element) => Placed {
  const { elements, trees } = document;
  const boxed = new Map(
    [...trees].map(([host, sheets]) => [
      host,
      sheets.map((each) => ({ ...each, sheet: each.sheet.boxes() })),
    ]),
  );
  const styles = new ScopedStyles({ ...document, trees: boxed }, namesInAttributes(elements), 'boxes');
  const registered = registeredIn([...trees.values()].flat());
  const work = newWork();
  const boxes = new Map<Element, Box>();
  for (const element of elements) {
    const parent = element.parent && boxes.get(element.parent);
    if (element.parent && !parent) continue;
    const around: Around = parent
      ? { width: widthBeside(element, parent), size: parent.style.size, line: lineFor(parent.style) }
      : { width: screen.width, size: 16, line: NORMAL_LINE };
    const computed = new Computed(styles.of(element).winners, parent?.custom ?? NO_VALUES, registered, work);
    const style = readBoxStyle(element, computed, around, screen);
    if (!style.isShown) continue;
    const outer = Number.isNaN(style.width) ? around.width - style.margin.sides : style.width;
    boxes.set(element, {
      style,
      inner: Math.max(1, (outer - style.padding.sides) / style.columns),
      custom: computed.custom,
      height: 0,
      marginTop: style.margin.top,
      marginBottom: style.margin.bottom,
      below: new Map(),
      run: { width: 0, height: 0 },
    });
  }
  for (let at = elements.length - 1; at >= 0; at--) {
    const element = elements[at];
    const box = element && boxes.get(element);
    if (element && box) layOut(element, box, boxes);
  }
  const tops = new Map<Element, number>();
  for (const element of elements) {
    const box = boxes.get(element);
    const parent = element.parent && boxes.get(element.parent);
    if (!box) continue;
    const above = (element.parent && tops.get(element.parent)) ?? 0;
    tops.set(
      element,
      above +
        (parent
          ? (parent.below.get(box) ?? parent.style.padding.top + (box.style.isOut ? box.style.top : 0))
          : 0),
    );
  }
  return (element) => ({ isShown: boxes.has(element), top: tops.get(element) ?? 0 });
}

/** What is left for an element by those that stand beside it. */
function widthBeside(element: Element, parent: Box): number {
  const { children, gaps } = parent.style;
  const { inner } = parent;
  if (children.is === 'in columns')
    return Math.max(1, (inner - gaps.column * (children.columns - 1)) / children.columns);
  if (children.is === 'beside each other' && !children.wraps)
    return Math.max(1, inner / Math.max(1, element.parent?.children.length ?? 1));
  if (element.name === 'td' || element.name === 'th')
    return Math.max(1, inner / Math.max(1, element.parent?.children.length ?? 1));
  return inner;
}

/** Gives a box its height, and its children their places in it. */
function layOut(element: Element, box: Box, boxes: ReadonlyMap<Element, Box>): void {
  const { style } = box;
  const own = [...(element.shadow ?? []), ...element.children].flatMap((child) => boxes.get(child) ?? []);
  const inFlow = own.filter(({ style: each }) => !each.isOut);
  const letters = tagOf(element.name).has('unseen') ? 0 : lettersOf(element.text) * style.size * LETTER;
  if (style.isInline && !isReplaced(element)) {
    // What is in a line is of the line: it hands on what it is made of.
    box.run = { width: letters, height: 0 };
    for (const child of inFlow) {
      box.below.set(child, 0);
      box.run.width += child.style.isInline ? child.run.width : Math.min(child.inner, box.inner);
      box.run.height = Math.max(box.run.height, child.style.isInline ? child.run.height : child.height);
    }
    box.height = heightOf(element, box, rowsOf(box.run, box));
    return;
  }
  const content = element.name === 'tr' ? besideEachOther(inFlow, box, false) : arrange(inFlow, box, letters);
  box.height = heightOf(element, box, content / style.columns);
  const width = widthOf(element, box);
  box.run = { width, height: box.height };
}

function arrange(children: readonly Box[], box: Box, letters: number): number {
  const { children: arrangement } = box.style;
  if (arrangement.is === 'beside each other') return besideEachOther(children, box, arrangement.wraps);
  if (arrangement.is === 'in columns') return inColumns(children, box, arrangement.columns);
  return belowEachOther(children, box, letters);
}

function belowEachOther(children: readonly Box[], box: Box, letters: number): number {
  const { padding, gaps } = box.style;
  let [top, margin, floats] = [0, 0, 0];
  let run = { width: letters, height: 0 };
  let isFirst = letters === 0;
  let waiting: Box[] = [];
  const endLine = (): void => {
    const high = rowsOf(run, box);
    if (high > 0) {
      top += margin + high;
      margin = 0;
      isFirst = false;
    }
    run = { width: 0, height: 0 };
    waiting = [];
  };
  for (const child of children) {
    if (child.style.isFloat) {
      box.below.set(child, padding.top + top);
      floats = Math.max(floats, top + child.height);
    } else if (child.style.isInline) {
      const row = Math.floor(run.width / box.inner);
      box.below.set(child, padding.top + top + margin + row * Math.max(run.height, box.style.lineHeight));
      waiting.push(child);
      run = { width: run.width + child.run.width, height: Math.max(run.height, child.run.height) };
    } else {
      endLine();
      const between = Math.max(margin, child.marginTop);
      // Where nothing is between them a margin is that of what is around.
      if (isFirst && padding.top === 0) box.marginTop = Math.max(box.marginTop, child.marginTop);
      else top += between + (isFirst ? 0 : gaps.row);
      isFirst = false;
      box.below.set(child, padding.top + top);
      top += child.height;
      margin = child.marginBottom;
    }
  }
  endLine();
  if (padding.bottom === 0) box.marginBottom = Math.max(box.marginBottom, margin);
  else top += margin;
  return Math.max(top, floats);
}

function besideEachOther(children: readonly Box[], box: Box, wraps: boolean): number {
  const { padding, gaps } = box.style;
  let [top, high, used] = [0, 0, 0];
  for (const child of children) {
    const width = Number.isNaN(child.style.width) ? child.run.width : child.style.width;
    if (wraps && used > 0 && used + width > box.inner + 1) {
      top += high + gaps.row;
      [high, used] = [0, 0];
    }
    box.below.set(child, padding.top + top + child.style.margin.top);
    high = Math.max(high, child.height + child.style.margin.top + child.style.margin.bottom);
    used += width + child.style.margin.sides + gaps.column;
  }
  return top + high;
}

function inColumns(children: readonly Box[], box: Box, columns: number): number {
  const { padding, gaps } = box.style;
  let top = 0;
  for (let at = 0; at < children.length; at += columns) {
    if (at > 0) top += gaps.row;
    let high = 0;
    for (const child of children.slice(at, at + columns)) {
      box.below.set(child, padding.top + top + child.style.margin.top);
      high = Math.max(high, child.height + child.style.margin.top + child.style.margin.bottom);
    }
    top += high;
  }
  return top;
}

/** The height of all lines of a run. */
function rowsOf({ width, height }: Box['run'], { style, inner }: Box): number {
  if (width <= 0) return 0;
  return Math.ceil(width / inner) * Math.max(style.lineHeight, height);
}

function heightOf(element: Element, box: Box, content: number): number {
  const { height, leastHeight, mostHeight, ratio, padding } = box.style;
  const own = (): number => {
    if (!Number.isNaN(height)) return height;
    const width = widthOf(element, box);
    if (!Number.isNaN(ratio) && ratio > 0) return Math.max(width / ratio, content);
    if (isReplaced(element)) return replacedHeight(element, box, width);
    return content + padding.top + padding.bottom;
  };
  return Math.max(leastHeight, Math.min(own(), mostHeight));
}

const isReplaced = ({ name }: Element): boolean => name === 'img' || OWN_HEIGHTS.has(name);

/** What is not there yet takes the room that its attributes give it. */
function replacedHeight({ name, attributes }: Element, { style }: Box, width: number): number {
  const [wide, high] = ['width', 'height'].map((each) => Number.parseFloat(attributes.get(each) ?? ''));
  if (high !== undefined && high > 0) {
    if (wide !== undefined && wide > 0 && Math.abs(width - wide) > 1) return (high * width) / wide;
    return high;
  }
  if (name !== 'img') return OWN_HEIGHTS.get(name) ?? 0;
  return (attributes.get('alt') ?? '') === '' ? 0 : style.lineHeight;
}

function widthOf({ name, attributes }: Element, { style, inner }: Box): number {
  if (!Number.isNaN(style.width)) return style.width;
  if (name === 'img') return Math.min(inner, Number.parseFloat(attributes.get('width') ?? '') || 16);
  return Math.min(inner, OWN_WIDTHS.get(name) ?? Infinity);
}

/** Without what stands there for the source's sake alone. */
const lettersOf = (text: string): number => text.replace(/\s+/g, ' ').trim().length;
