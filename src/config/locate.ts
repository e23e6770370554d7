/** From a path inside the config, as Yup names it, to the line and column where it stands. */
import { isMap, isNode, isPair, isScalar, isSeq, type Document, type LineCounter, type Node } from 'yaml';

/** Splits `assign[0].cache` and `moved.permanently["/shop/*"]` into steps. */
export function parsePath(path: string): (string | number)[] {
  const steps: (string | number)[] = [];
  for (const match of path.matchAll(/\["((?:[^"\\]|\\.)*)"\]|\[(\d+)\]|([^.[\]]+)/g)) {
    const [, quoted, index, name] = match;
    if (quoted !== undefined) steps.push(quoted.replace(/\\(.)/g, '$1'));
    else if (index !== undefined) steps.push(Number(index));
    else if (name !== undefined) steps.push(name);
  }
  return steps;
}

export interface SourceLocation {
  readonly line: number;
  readonly column: number;
}

/** The place of a path, or of the nearest thing around it that is there. */
export function locate(
  document: Document,
  lines: LineCounter,
  path: string,
  inName: boolean,
): SourceLocation {
  let node: Node | null = document.contents;
  let offset = node?.range?.[0] ?? 0;
  for (const step of parsePath(path)) {
    if (isSeq(node) && typeof step === 'number') {
      const item: unknown = node.items[step];
      if (!isNode(item)) break;
      node = item;
      offset = item.range?.[0] ?? offset;
    } else if (isMap(node)) {
      const pair: unknown = node.items.find(
        (each) => isPair(each) && isScalar(each.key) && String(each.key.value) === String(step),
      );
      if (!isPair(pair)) break;
      const name = isNode(pair.key) ? (pair.key.range?.[0] ?? offset) : offset;
      node = isNode(pair.value) ? pair.value : null;
      offset = inName || !node?.range ? name : node.range[0];
      // A block mapping or list begins on the next line; its name says better where it is.
      if ((isMap(node) || isSeq(node)) && !node.flow) offset = name;
    } else break;
  }
  const { line, col } = lines.linePos(offset);
  return { line: Math.max(line, 1), column: Math.max(col, 1) };
}
