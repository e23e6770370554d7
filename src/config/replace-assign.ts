/** Another list of `assign` in a config's text: all else in it stays as somebody wrote it. */
import { isDeepStrictEqual } from 'node:util';
import { isScalar, parseDocument, type Document, type Node } from 'yaml';

export interface AssignText {
  /** Each as a line of `assign` without its dash. */
  readonly lines: readonly string[];
  /** The value of `otherwise`; undefined where the config is to have none. */
  readonly otherwise: string | undefined;
}

export function replaceAssign(text: string, { lines, otherwise }: AssignText): string {
  const document = parseDocument(text);
  const list = parseDocument(lines.map((line) => `- ${line}\n`).join('')).toJS() as unknown[] | null;
  const value = otherwise === undefined ? undefined : (parseDocument(otherwise).toJS() as unknown);
  const block = lines.length === 0 ? '' : `assign:\n${lines.map((line) => `  - ${line}\n`).join('')}`;
  const replaced = put(
    put(text, 'otherwise', otherwise === undefined ? '' : `otherwise: ${otherwise}\n`),
    'assign',
    block,
  );
  setOrDelete(document, 'otherwise', value);
  setOrDelete(document, 'assign', list ?? undefined);
  const again = parseDocument(replaced);
  if (again.errors.length === 0 && isDeepStrictEqual(again.toJS(), document.toJS())) return replaced;
  return document.toString({ lineWidth: 0 });
}

function setOrDelete(document: Document, name: string, value: unknown): void {
  if (value === undefined) document.delete(name);
  else document.set(name, document.createNode(value, { flow: false }));
}

/** In place of a setting at the top, or at the end where there is none. */
function put(text: string, name: string, becomes: string): string {
  const { contents } = parseDocument(text);
  const items =
    contents && 'items' in contents ? (contents.items as unknown as { key: Node; value: Node | null }[]) : [];
  const pair = items.find(({ key }) => isScalar(key) && key.value === name);
  const start = pair?.key.range?.[0];
  if (!pair || start === undefined) {
    if (becomes === '') return text;
    return `${text}${text.endsWith('\n') ? '' : '\n'}\n${becomes}`;
  }
  const end = pair.value?.range?.[1] ?? pair.key.range?.[1] ?? start;
  const newline = text.indexOf('\n', Math.max(start, end - 1));
  return text.slice(0, start) + becomes + (newline < 0 ? '' : text.slice(newline + 1));
}
