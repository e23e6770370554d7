/**
 * The elements that are open while a page is scanned. Only what nests as it is written is followed: as soon as building a
 * tree would move, copy, close or drop anything that is not at hand, the answer is false, and the page needs a real tree.
 */
import { tagOf, type Tag } from './elements.js';

const TABLE_INSIDE = new Set(['table', 'tbody', 'thead', 'tfoot', 'tr', 'colgroup']);
const ROW_GROUPS = new Set(['tbody', 'thead', 'tfoot']);
const CELLS = new Set(['td', 'th']);
/** List items look through these for the one before. */
const LETS_ITEMS_THROUGH = new Set(['address', 'div', 'p']);
const COUNTED = new Set(['p', 'a', 'form', 'button', 'select', 'noscript']);

/** So far back an element is looked for; a page that nests deeper needs a tree. */
const MAX_STEPS = 400;

const IMPLIED_GROUP = tagOf('tbody');
const IMPLIED_ROW = tagOf('tr');
const IMPLIED_COLUMNS = tagOf('colgroup');

export class OpenElements {
  readonly #tags: Tag[] = [];
  /** How many of the open elements are of SVG: the last ones. */
  #foreign = 0;
  readonly #open = new Map<string, number>();
  /** Whether tables close paragraphs: not in quirks mode. */
  tablesClose = true;

  get top(): Tag | undefined {
    return this.#tags[this.#tags.length - 1];
  }

  get inSvg(): boolean {
    return this.#foreign > 0;
  }

  /** Whether text here would be moved out of a table. */
  get inTable(): boolean {
    const { top } = this;
    return top !== undefined && this.#foreign === 0 && TABLE_INSIDE.has(top.name);
  }

  count(name: string): number {
    return this.#open.get(name) ?? 0;
  }

  pop(): void {
    const tag = this.#tags.pop();
    if (!tag) return;
    this.closed();
    if (this.#foreign > 0) this.#foreign--;
    else if (COUNTED.has(tag.name)) this.#open.set(tag.name, this.count(tag.name) - 1);
  }

  /** A start tag that opens an element or is a whole one. @returns whether its place is sure */
  start(tag: Tag, selfClosing: boolean): boolean {
    if (this.#foreign > 0) return this.startForeign(tag, selfClosing);
    const { top } = this;
    if (this.count('select') > 0) return this.startInSelect(tag);
    if (top && TABLE_INSIDE.has(top.name)) return this.startInTable(tag, top);
    switch (tag.kind) {
      case 'flow':
        return this.push(tag);
      case 'void':
      case 'raw':
        return true;
      case 'formatting':
        return (tag.name !== 'a' || !this.hasLink()) && this.push(tag);
      case 'block':
        return this.closeParagraph() && this.push(tag);
      case 'heading':
        if (!this.closeParagraph()) return false;
        if (this.top?.kind === 'heading') this.pop();
        return this.push(tag);
      case 'item':
        return this.closeItem(tag.name) && this.closeParagraph() && this.push(tag);
      case 'rule':
        return this.closeParagraph();
      case 'table':
        return (!this.tablesClose || this.closeParagraph()) && this.push(tag);
      case 'table part':
        return this.closeCell() && this.start(tag, selfClosing);
      case 'option':
        if (top?.name === 'option') this.pop();
        return this.push(tag);
      case 'form':
        return this.count('form') === 0 && this.closeParagraph() && this.push(tag);
      case 'button':
        return this.count('button') === 0 && this.push(tag);
      case 'select':
        return this.push(tag);
      case 'svg':
        return selfClosing || this.pushForeign(tag);
      default:
        return false;
    }
  }

  /** @returns whether what it ends is sure */
  end(tag: Tag): boolean {
    const { name, kind } = tag;
    if (this.top?.name === name) {
      this.pop();
      return true;
    }
    if (this.#foreign > 0) return false;
    switch (kind) {
      case 'void':
        // Nothing such is ever open; `</br>` alone is taken for a start tag.
        return name !== 'br';
      case 'block':
        // Without a paragraph `</p>` makes an empty one.
        if (name === 'p') {
          if (this.count('p') > 0 || this.inTable || this.count('select') > 0) return false;
          this.opened(tag);
          this.closed();
          return true;
        }
        return this.endImplied(name);
      case 'button':
      case 'form':
      case 'item':
        return this.endImplied(name);
      case 'heading':
        this.popImplied();
        if (this.top?.kind !== 'heading') return false;
        this.pop();
        return true;
      case 'select':
        while (this.top?.kind === 'option') this.pop();
        return this.endTop(name);
      case 'option':
        if (name === 'optgroup' && this.top?.name === 'option') this.pop();
        return this.endTop(name);
      case 'table':
      case 'table part':
        return this.endInTable(name);
      default:
        return name === 'object' && this.endImplied(name);
    }
  }

  private pushForeign(tag: Tag): true {
    this.#foreign++;
    this.#tags.push(tag);
    this.opened(tag);
    return true;
  }

  /** For whoever builds a tree: an element has been opened, which no tag may have said. */
  protected opened(_tag: Tag): void {}

  /** The innermost one has been closed. */
  protected closed(): void {}

  private push(tag: Tag): true {
    this.#tags.push(tag);
    this.opened(tag);
    if (COUNTED.has(tag.name)) this.#open.set(tag.name, this.count(tag.name) + 1);
    return true;
  }

  private endTop(name: string): boolean {
    if (this.top?.name !== name) return false;
    this.pop();
    return true;
  }

  private popImplied(but?: string): void {
    for (let { top } = this; top?.isImplied && top.name !== but; { top } = this) this.pop();
  }

  private endImplied(name: string): boolean {
    this.popImplied(name);
    return this.endTop(name);
  }

  /** An open paragraph ends, if it is at hand: whatever is still open in it would be copied or cut off. */
  private closeParagraph(): boolean {
    if (this.count('p') === 0) return true;
    if (this.top?.name === 'p') {
      this.pop();
      return true;
    }
    for (const tag of this.fromTop()) {
      if (!tag || tag.name === 'p') return false;
      if (tag.isMarker || tag.name === 'table' || tag.name === 'button') return true;
    }
    return true;
  }

  /** From the innermost outwards; undefined where it goes too far. */
  private *fromTop(): Generator<Tag | undefined> {
    const last = this.#tags.length - 1;
    for (let at = last; at >= 0; at--) {
      if (last - at > MAX_STEPS) return yield undefined;
      yield this.#tags[at];
    }
  }

  private closeItem(name: string): boolean {
    const isSame = (tag: Tag): boolean => (name === 'li' ? tag.name === 'li' : /^d[dt]$/.test(tag.name));
    for (const tag of this.fromTop()) {
      if (!tag) return false;
      if (tag.isSpecial && !isSame(tag) && !LETS_ITEMS_THROUGH.has(tag.name)) return true;
      if (!isSame(tag)) continue;
      this.popImplied(tag.name);
      return this.endTop(tag.name);
    }
    return true;
  }

  private hasLink(): boolean {
    if (this.count('a') === 0) return false;
    for (const tag of this.fromTop()) {
      if (!tag || tag.name === 'a') return true;
      if (tag.isMarker) return false;
    }
    return false;
  }

  private closeCell(): boolean {
    this.popImplied();
    if (!CELLS.has(this.top?.name ?? '')) return false;
    this.pop();
    return true;
  }

  private startInTable(tag: Tag, { name: inside }: Tag): boolean {
    const { name } = tag;
    if (name === 'script' || name === 'style') return inside !== 'colgroup';
    if (tag.kind !== 'table part') return false;
    const isCell = CELLS.has(name);
    if (inside === 'colgroup') {
      if (name === 'col') return true;
      this.pop();
      return this.start(tag, false);
    }
    if (inside === 'table') {
      if (name === 'col') return this.push(IMPLIED_COLUMNS);
      if (isCell || name === 'tr') this.push(IMPLIED_GROUP);
      if (isCell) this.push(IMPLIED_ROW);
      return this.push(tag);
    }
    if (inside === 'tr') {
      if (isCell) return this.push(tag);
    } else {
      if (isCell) this.push(IMPLIED_ROW);
      if (isCell || name === 'tr') return this.push(tag);
    }
    // What cannot stand here ends the row or the group.
    if (name !== 'tr' && !ROW_GROUPS.has(name)) return false;
    this.pop();
    return this.start(tag, false);
  }

  private endInTable(name: string): boolean {
    for (;;) {
      if (this.endTop(name)) return true;
      this.popImplied();
      const inside = this.top?.name ?? '';
      if (this.endTop(name)) return true;
      const isWithin =
        name === 'table'
          ? CELLS.has(inside) || (TABLE_INSIDE.has(inside) && inside !== 'table')
          : ROW_GROUPS.has(name)
            ? CELLS.has(inside) || inside === 'tr'
            : name === 'tr' && CELLS.has(inside);
      if (!isWithin) return false;
      this.pop();
    }
  }

  private startInSelect(tag: Tag): boolean {
    if (this.top?.name === 'option') {
      if (tag.kind !== 'option') return false;
      this.pop();
    }
    if (tag.name === 'optgroup' && this.top?.name === 'optgroup') this.pop();
    return tag.kind === 'option' && this.push(tag);
  }

  private startForeign(tag: Tag, selfClosing: boolean): boolean {
    const { top } = this;
    // HTML may stand in these again.
    if (top?.name === 'title' || top?.name === 'desc' || tag.name === 'foreignobject') return false;
    if (tag.leavesSvg || tag.name === 'font' || tag.name === 'math') return false;
    if (tag.name === 'script' || tag.name === 'style') return false;
    return selfClosing || this.pushForeign(tag);
  }
}
