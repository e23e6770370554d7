/** References in CSS: `url()`, `@import`, source maps. */
import { parse, walk, type CssNode } from 'css-tree';
import type { Reading, Reference, Use } from './reading.js';
import { lineCounter } from './lines.js';

/** Where a URL names something else than what is loaded. */
const NO_REFERENCE = new Set(['namespace', 'document', '-moz-document']);

/** @param first the line on which the text begins in its file */
export function readStyleText(
  text: string,
  first = 1,
  context: 'sheet' | 'declarations' = 'sheet',
): Reference[] {
  if (!/url\(|@import|sourceMappingURL/i.test(text)) return [];
  const references: Reference[] = [];
  const add = (use: Use, raw: string, node: CssNode): void =>
    void references.push({ use, raw, line: first - 1 + (node.loc?.start.line ?? 1) });
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
    }
  });
  const map = readSourceMap(text, first);
  return map ? [...references, map] : references;
}

const SOURCE_MAP = /[#@]\s*sourceMappingURL=([^\s'"*]+)/g;

/** The source map that a style or script names in its last comment. */
export function readSourceMap(text: string, first = 1): Reference | undefined {
  const from = Math.max(0, text.length - 2000);
  const found = [...text.slice(from).matchAll(SOURCE_MAP)].at(-1);
  if (!found?.[1]) return undefined;
  return { use: 'source map', raw: found[1], line: first - 1 + lineCounter(text)(from + found.index) };
}

export const readStyle = (text: string): Reading => ({ kind: 'style', references: readStyleText(text) });
