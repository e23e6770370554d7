/** Colours and columns for terminals. */
import pc from 'picocolors';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import { longestPart, widthOf, wrapWords } from './wrap.js';
import type { Level } from '../../core/findings/finding.js';

export interface Paint {
  readonly strong: (text: string) => string;
  readonly soft: (text: string) => string;
  readonly good: (text: string) => string;
  readonly bad: (text: string) => string;
  readonly warn: (text: string) => string;
  readonly place: (text: string) => string;
  /** Columns to fill. */
  readonly width: number;
  /** A command for people to type, with all that it needs. */
  readonly command: CommandLine;
}

/** Of 256 colours those that are read on white and on black alike, whatever the theme makes of the first sixteen. */
export const READABLE = { good: 28, bad: 131, warn: 130, place: 30 } as const;

/** How many colours a terminal has: none, the first sixteen, or 256. */
export type Colours = 0 | 16 | 256;

export function createPaint(colours: Colours, width: number, command: CommandLine = plainCommand): Paint {
  const colour = pc.createColors(colours > 0);
  const fixed =
    (number: number) =>
    (text: string): string =>
      `\u001b[38;5;${number}m${text}\u001b[39m`;
  const named =
    colours === 256
      ? {
          good: fixed(READABLE.good),
          bad: fixed(READABLE.bad),
          warn: fixed(READABLE.warn),
          place: fixed(READABLE.place),
        }
      : // Cyan cannot be read on white, so that places are as the rest is.
        { good: colour.green, bad: colour.red, warn: colour.yellow, place: (text: string) => text };
  return { strong: colour.bold, soft: colour.dim, ...named, width, command };
}

export const paintLevel = (paint: Paint, level: Level): string =>
  level === 'error' ? paint.bad(level) : level === 'warning' ? paint.warn(level) : paint.soft(level);

/** A column is never narrower than this, unless nothing in it is wider. */
const NARROWEST = 6;

/**
 * Lays rows out in columns without lines, indented by two.
 * @param right columns that hold numbers
 * @param most columns of the terminal: where the rows are wider, the widest column is broken at words
 * @param key the column of keys: it gets what it needs, and a line of its own where that is too much
 */
export function columns(
  rows: readonly (readonly string[])[],
  right: readonly number[] = [],
  most = Infinity,
  key?: number,
): string {
  const cells = rows.map((row) => row.map((cell) => onOneLine(visibleAmidColours(cell))));
  return (key === undefined ? layOut(cells, right, most) : layOutKeys(cells, right, most, key)).join('\n');
}

const widthsOf = (cells: readonly (readonly string[])[]): number[] => {
  const widths: number[] = [];
  for (const row of cells)
    for (const [at, text] of row.entries()) widths[at] = Math.max(widths[at] ?? 0, widthOf(text));
  return widths;
};

const totalOf = (widths: readonly number[]): number => widths.reduce((sum, width) => sum + width + 2, 0);

/** How narrow each column may be before a word is broken. */
const wordsOf = (cells: readonly (readonly string[])[], widths: readonly number[]): number[] =>
  widths.map((_, at) =>
    Math.min(WIDEST_WORD, Math.max(NARROWEST, ...cells.map((row) => longestPart(row[at] ?? '')))),
  );

/** The rows, each of one line or several. */
function layOut(cells: readonly (readonly string[])[], right: readonly number[], most: number): string[] {
  const widths = widthsOf(cells);
  if (totalOf(widths) > most) {
    // Words stay whole as long as that can be.
    narrow(widths, wordsOf(cells, widths), right, most);
    narrow(widths, [], right, most);
  }
  // Without an edge a few long cells stand out of their column rather than to push all others away.
  if (most === Infinity)
    for (const [at, width] of widths.entries()) if (!right.includes(at)) widths[at] = Math.min(width, LOOSE);
  return cells.map((row) => layOutRow(row, widths, right, most));
}

/** The same with whole keys: others are broken first, and then each key stands above what is said of it. */
function layOutKeys(
  cells: readonly (readonly string[])[],
  right: readonly number[],
  most: number,
  key: number,
): string[] {
  const widths = widthsOf(cells);
  if (totalOf(widths) <= most) return layOut(cells, right, most);
  narrow(widths, wordsOf(cells, widths), [...right, key], most);
  if (totalOf(widths) <= most) {
    const beside = cells.map((row) => layOutRow(row, widths, right, most));
    // What is broken again and again is easier to read below its key.
    const tall = beside.filter((lines) => lines.split('\n').length > 2);
    if (tall.length * 2 <= beside.length) return beside;
  }
  const others = right.filter((at) => at !== key).map((at) => (at > key ? at - 1 : at));
  const rest = layOut(
    cells.map((row) => row.filter((_, at) => at !== key)),
    others,
    most - 2,
  );
  return cells.map((row, at) => {
    const name = wrapWords(row[key] ?? '', most - 2).map((line) => `  ${line}`);
    return [...name, ...(rest[at] ?? '').split('\n').map((line) => `  ${line}`)].join('\n');
  });
}

function layOutRow(
  row: readonly string[],
  widths: readonly number[],
  right: readonly number[],
  most: number,
): string {
  const broken = row.map((text, at) =>
    most === Infinity ? [text] : wrapWords(text, Math.max(1, widths[at] ?? 0)),
  );
  const height = Math.max(1, ...broken.map(({ length }) => length));
  return Array.from({ length: height }, (_, line) => {
    const padded = broken.map((lines, at) => {
      const text = lines[line] ?? '';
      const space = ' '.repeat(Math.max(0, (widths[at] ?? 0) - widthOf(text)));
      return right.includes(at) ? space + text : text + space;
    });
    return `  ${padded.join('  ')}`.trimEnd();
  }).join('\n');
}

/** Columns are no wider than this where there is no edge. */
const LOOSE = 64;

/** A longer word may be broken to save its column from taking all. */
const WIDEST_WORD = 16;

/**
 * Takes from the widest columns until the rows fit; numbers stay whole.
 * @param floors how far each may be narrowed; NARROWEST where there is none
 */
function narrow(widths: number[], floors: readonly number[], right: readonly number[], most: number): void {
  const floor = (at: number): number => floors[at] ?? NARROWEST;
  const isDone = (at: number): boolean => right.includes(at) || (widths[at] ?? 0) <= floor(at);
  let over = totalOf(widths) - most;
  while (over > 0) {
    let widest = -1;
    for (const at of widths.keys())
      if (!isDone(at) && (widest < 0 || (widths[at] ?? 0) > (widths[widest] ?? 0))) widest = at;
    if (widest < 0) return;
    const width = widths[widest] ?? 0;
    const others = widths.filter((each, at) => !isDone(at) && each < width);
    const taken = Math.min(over, Math.max(1, width - Math.max(floor(widest), ...others)));
    widths[widest] = width - taken;
    over -= taken;
  }
}

/** Shows control characters, so that a name from disk or an answer cannot drive the terminal. For text not yet painted. */
export const visible = (text: string): string =>
  text.replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g, spell);

/** The same for text with colours of our own in it, which stay. */
const visibleAmidColours = (text: string): string =>
  text.replace(
    /\u001b(?!\[(?:38;5;)?\d{1,3}m)|[\u0000-\u0008\u000b-\u001a\u001c-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    spell,
  );

const spell = (character: string): string => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`;

/** Cuts the middle out of a text that is too long. */
export function shorten(text: string, most: number): string {
  if (text.length <= most) return text;
  const tail = Math.floor((most - 1) / 2);
  return `${text.slice(0, most - 1 - tail)}…${text.slice(text.length - tail)}`;
}

/** A cell is one line; what indents it stays. */
const onOneLine = (text: string): string =>
  text.includes('\n')
    ? text
        .split('\n')
        .map((line, at) => (at === 0 ? line.trimEnd() : line.trim()))
        .join(' ')
    : text;
