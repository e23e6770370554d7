/** References in CSS: `url()`, `@import`, source maps. */
import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import walk from 'css-tree/walker';
import { NOWHERE, type Reading, type Reference, type Span, type Use } from './reading.js';
import { lineCounter } from './lines.js';

/** Where a URL names something else than what is loaded. */
const NO_REFERENCE = new Set(['namespace', 'document', '-moz-document']);

/** @param first the line on which the text begins in its file @param offset where it begins, -1 for unknown */
export function readStyleText(
  text: string,
  first = 1,
  context: 'sheet' | 'declarations' = 'sheet',
  offset = 0,
): Reference[] {
  if (!/url\(|@import|image-set\(|sourceMappingURL/i.test(text)) return [];
  const references: Reference[] = [];
  const add = (use: Use, raw: string, node: CssNode): void =>
    void references.push({
      use,
      raw,
      line: first - 1 + (node.loc?.start.line ?? 1),
      ...spanOf(text, node, raw, offset),
    });
  const tree = parse(text, {
    positions: true,
    parseCustomProperty: true,
    context: context === 'sheet' ? 'stylesheet' : 'declarationList',
    onParseError: () => undefined,
  });
  walk(tree, function (node) {
    if (node.type === 'Url') {
      const rule = this.atrule?.name.toLowerCase();
      if (rule !== undefined && NO_REFERENCE.has(rule)) return;
      if (rule === 'import') add('style', node.value, node);
      else if (rule === 'font-face') add('font', node.value, node);
      else add('image', node.value, node);
    } else if (node.type === 'String' && this.atrule?.name.toLowerCase() === 'import') {
      // Only the address; a string inside `supports()` is none.
      if (this.function === null) add('style', node.value, node);
    } else if (node.type === 'String' && /^(?:-webkit-)?image-set$/i.test(this.function?.name ?? ''))
      add('image', node.value, node);
  });
  const map = readSourceMap(text, first, offset);
  return map ? [...references, map] : references;
}

/** Where the address of a `url()` or of a string is written. */
function spanOf(text: string, { loc, type }: CssNode, raw: string, offset: number): Span {
  if (!loc || offset < 0) return NOWHERE;
  const written = text.slice(loc.start.offset, loc.end.offset);
  const [head = ''] = (type === 'Url' ? /^url\(\s*["']?/i : /^["']/).exec(written) ?? [];
  let end = written.length;
  if (type === 'Url' && written.endsWith(')')) end = written.slice(0, -1).trimEnd().length;
  if (end > head.length && /["']/.test(written.charAt(end - 1))) end--;
  const inner = written.slice(head.length, Math.max(head.length, end));
  const at = offset + loc.start.offset + head.length;
  return inner === raw ? { at, length: raw.length } : { at, length: inner.length, escaping: 'css' };
}

const SOURCE_MAP = /[#@]\s*sourceMappingURL=([^\s'"*]+)/g;

/** The source map that a style or script names in its last comment. */
export function readSourceMap(text: string, first = 1, offset = 0): Reference | undefined {
  const from = Math.max(0, text.length - 2000);
  const found = [...text.slice(from).matchAll(SOURCE_MAP)].at(-1);
  if (!found?.[1]) return undefined;
  const line = first - 1 + lineCounter(text)(from + found.index);
  const at = from + found.index + found[0].length - found[1].length;
  const span = offset < 0 ? NOWHERE : { at: offset + at, length: found[1].length };
  return { use: 'source map', raw: found[1], line, ...span };
}

export const readStyle = (text: string): Reading => ({ kind: 'style', references: readStyleText(text) });
