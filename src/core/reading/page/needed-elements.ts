/** Elements of a page that a rule asks for by their names, with all that they say: no reader has to know of them. */
import { readTree } from './page-tree.js';
import { asHtml } from './read-xhtml.js';
import type { NeededElement } from '../reading.js';
import type { Element } from './element.js';

/** Of one page, and UTF-16 units of one text: of more nothing is said. */
const [MAX_ELEMENTS, MAX_TEXT] = [10_000, 2_000];

/** @returns the elements of these names, in the order of the page */
export function readNeeded(html: string, names: ReadonlySet<string>): NeededElement[] {
  const needed: NeededElement[] = [];
  const elements = readTree(asHtml(html), true);
  for (const [at, element] of elements.entries()) {
    if (!names.has(element.name)) continue;
    needed.push({
      name: element.name,
      line: element.line ?? 1,
      attributes: Object.fromEntries(element.attributes),
      text: textOf(elements, at),
    });
    if (needed.length === MAX_ELEMENTS) break;
  }
  return needed;
}

/** What follows an element in the list and stands in it comes right behind it. */
function textOf(elements: readonly Element[], at: number): string {
  const inside = new Set<Element | undefined>();
  let text = '';
  for (let next = at; next < elements.length && text.length < MAX_TEXT; next++) {
    const element = elements[next];
    if (!element || (next > at && !inside.has(element.parent))) break;
    inside.add(element);
    text += ` ${element.text}`;
  }
  return text.replace(/\s+/g, ' ').trim().slice(0, MAX_TEXT);
}
