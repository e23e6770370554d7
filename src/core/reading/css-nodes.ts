/** What several readers of CSS need of its parser. */
import type { CssNode } from 'css-tree';

/** The text of what was left unparsed. */
export const rawOf = (node: CssNode): string => (node.type === 'Raw' ? node.value : '');

/** Parsers that call themselves end where the stack does. */
export function unlessTooDeep<T>(work: () => T, otherwise: T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof RangeError) return otherwise;
    throw error;
  }
}
