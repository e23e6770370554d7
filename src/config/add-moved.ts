/** Adding moved addresses to a config's text: all else in it stays as somebody wrote it. */
import { isDeepStrictEqual } from 'node:util';
import { isMap, isScalar, parseDocument, stringify, type Node, type YAMLMap } from 'yaml';

type Entries = readonly (readonly [from: string, to: string])[];

/** @param entries none of them in the config yet @returns the text with them under `moved.permanently` */
export function addMovedLines(text: string, entries: Entries): string {
  if (entries.length === 0) return text;
  const document = parseDocument(text);
  for (const path of [['moved'], ['moved', 'permanently']])
    if (!isMap(document.getIn(path, true))) document.setIn(path, document.createNode({}));
  for (const [from, to] of entries) document.setIn(['moved', 'permanently', from], to);
  const wanted = document.toJS() as unknown;
  const added = insert(text, entries);
  // Text that was put in a wrong place would read otherwise.
  if (added !== undefined && isDeepStrictEqual(readAgain(added), wanted)) return added;
  return document.toString({ lineWidth: 0 });
}

function readAgain(text: string): unknown {
  const document = parseDocument(text);
  return document.errors.length > 0 ? undefined : (document.toJS() as unknown);
}

const word = (text: string): string => stringify(text, { lineWidth: 0, defaultStringType: 'PLAIN' }).trim();
/** In flow a plain word may not hold these. */
const flowWord = (text: string): string => (/[[\]{},:#]/.test(text) ? JSON.stringify(text) : word(text));

const asBlock = (entries: Entries, indent: number): string =>
  entries.map(([from, to]) => `${' '.repeat(indent)}${word(from)}: ${word(to)}\n`).join('');
const asFlow = (entries: Entries): string =>
  entries.map(([from, to]) => `${flowWord(from)}: ${flowWord(to)}`).join(', ');

/** Undefined where there is no place that can be told. */
function insert(text: string, entries: Entries): string | undefined {
  const document = parseDocument(text);
  const moved = document.get('moved', true);
  if (moved === undefined)
    return `${text}${text.endsWith('\n') ? '' : '\n'}\nmoved:\n  permanently:\n${asBlock(entries, 4)}`;
  if (!isMap(moved)) return undefined;
  const table = moved.get('permanently', true);
  if (isMap(table))
    return table.flow
      ? intoFlow(text, table, asFlow(entries))
      : below(text, table, (indent) => asBlock(entries, indent));
  if (table !== undefined) return undefined;
  return moved.flow
    ? intoFlow(text, moved, `permanently: { ${asFlow(entries)} }`)
    : below(text, moved, (indent) => `${' '.repeat(indent)}permanently:\n${asBlock(entries, indent + 2)}`);
}

function intoFlow(text: string, map: YAMLMap, more: string): string | undefined {
  const end = map.range?.[1];
  if (end === undefined || text[end - 1] !== '}') return undefined;
  const before = text.slice(0, end - 1);
  const inner = before.trimEnd();
  const comma = map.items.length === 0 || inner.endsWith(',') ? ' ' : ', ';
  return `${inner}${comma}${more}${before.slice(inner.length) || ' '}${text.slice(end - 1)}`;
}

/** After the line on which the last entry ends. */
function below(text: string, map: YAMLMap, lines: (indent: number) => string): string | undefined {
  const [first, last] = [map.items[0], map.items.at(-1)];
  const start = isScalar(first?.key) ? first.key.range?.[0] : undefined;
  const end = endOf(last?.value as Node | null) ?? endOf(last?.key as Node);
  if (start === undefined || end === undefined) return undefined;
  const newline = text.indexOf('\n', Math.max(0, end - 1));
  const at = newline < 0 ? text.length : newline + 1;
  const gap = newline < 0 ? '\n' : '';
  return text.slice(0, at) + gap + lines(start - text.lastIndexOf('\n', start - 1) - 1) + text.slice(at);
}

const endOf = (node: Node | null | undefined): number | undefined => node?.range?.[1];
