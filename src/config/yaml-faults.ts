/** What is wrong with a text that is no YAML, in words of our own: what, where, and the line as it was meant. */
import { isScalar, visit, type Document, type LineCounter } from 'yaml';
import type { ConfigFault } from './config.js';

/** Where a star stands without quotes that begins a value: YAML takes it for a reference. */
function findStar(text: string): { readonly offset: number; readonly star: string } | undefined {
  let quote = '';
  let before = '';
  for (let at = 0; at < text.length; at++) {
    const letter = text.charAt(at);
    if (letter === '\n') [quote, before] = ['', '\n'];
    else if (quote !== '') quote = letter === quote ? '' : quote;
    else if (letter === '"' || letter === "'") quote = before = letter;
    else if (letter === '#' && /\s/.test(text.charAt(at - 1))) {
      const end = text.indexOf('\n', at);
      if (end < 0) return undefined;
      at = end - 1;
    } else if (letter === '*' && /[:[,{-]/.test(before))
      return { offset: at, star: /^[^\s,}\]]{0,80}/.exec(text.slice(at, at + 80))?.[0] ?? '*' };
    else if (!/\s/.test(letter)) before = letter;
  }
  return undefined;
}

/** The first line that says something, where it begins with a blank and a later one does not. */
function findIndented(text: string): { readonly offset: number; readonly line: string } | undefined {
  let offset = 0;
  let first: { offset: number; line: string } | undefined;
  for (const row of text.split('\n')) {
    const line = row.trim();
    const says = line !== '' && !line.startsWith('#') && line !== '---';
    if (says && !first) {
      if (!/^\s/.test(row)) return undefined;
      first = { offset: offset + row.indexOf(line), line };
    } else if (says && /^\S/.test(row)) return first;
    offset += row.length + 1;
  }
  return undefined;
}

/** Whether a name of a setting stands there, and no part of another word. */
const isName = (text: string, at: number, name: string): boolean =>
  !/[^\s{,]/.test(text.charAt(at - 1)) &&
  /^\s{0,9}:/.test(text.slice(at + name.length, at + name.length + 10));

/** A name that stands twice in one mapping. @param offset of the second */
function givenTwice(text: string, offset: number, lines: LineCounter): string | undefined {
  const name = /^(?:"[^"\n]*"|'[^'\n]*'|[^\s:,{}[\]]+)/.exec(text.slice(offset, offset + 200))?.[0];
  if (name === undefined) return undefined;
  let start = offset;
  do start = start <= 0 ? -1 : text.lastIndexOf(name, start - 1);
  while (start >= 0 && !isName(text, start, name));
  const line = start < 0 ? 0 : lines.linePos(start).line;
  const own = lines.linePos(offset).line;
  const where = line === 0 ? '' : line === own ? ' on this line' : `, in line ${line} too`;
  return `${name} is given twice${where}: leave one of them, or write their values as one list`;
}

/** @param offset of the first fault @param message of the parser */
export function explainSyntax(
  text: string,
  offset: number,
  message: string,
  lines: LineCounter,
): ConfigFault {
  const unquoted = /alias/i.test(message) ? findStar(text) : undefined;
  if (unquoted) {
    const { star } = unquoted;
    const what = `not YAML: ${star} needs quotes, for YAML takes it for a reference`;
    return at(lines, unquoted.offset, what, JSON.stringify(star));
  }
  const indented = findIndented(text);
  if (indented) {
    const what = 'not YAML: this line begins with a blank, and lines below it do not';
    return at(lines, indented.offset, what, indented.line);
  }
  const twice = /keys must be unique/i.test(message) ? givenTwice(text, offset, lines) : undefined;
  if (twice !== undefined) return at(lines, offset, twice);
  const plain = message.split('\n', 1)[0] ?? message;
  const row = lineAt(text, offset);
  const becomes = /^ *\t/.test(row)
    ? row.replace(/^[ \t]+/, (blank) => blank.replaceAll('\t', '  '))
    : undefined;
  return at(lines, offset, `not YAML: ${plain.charAt(0).toLowerCase()}${plain.slice(1)}`, becomes);
}

/** Quotes of printed text, which YAML takes for letters. */
const ODD = /^[\u2018-\u201f\u00ab\u00bb](.*?)[\u2018-\u201f\u00ab\u00bb]?$/s;

/** Values and names in quotes that YAML does not know. */
export function oddQuotes(document: Document, lines: LineCounter): ConfigFault[] {
  const faults: ConfigFault[] = [];
  visit(document, {
    Scalar(_key, node) {
      if (!isScalar(node) || typeof node.value !== 'string' || node.type !== 'PLAIN') return;
      const [, within] = ODD.exec(node.value) ?? [];
      if (within === undefined) return;
      const message = `${node.value} stands in quotes that YAML does not know`;
      faults.push(at(lines, node.range?.[0] ?? 0, message, JSON.stringify(within)));
    },
  });
  return faults;
}

const lineAt = (text: string, offset: number): string =>
  text.slice(text.lastIndexOf('\n', offset - 1) + 1).split('\n', 1)[0] ?? '';

function at(lines: LineCounter, offset: number, message: string, becomes?: string): ConfigFault {
  const { line, col } = lines.linePos(offset);
  return {
    line: Math.max(line, 1),
    column: Math.max(col, 1),
    path: '',
    message,
    ...(becomes === undefined ? {} : { becomes }),
  };
}
