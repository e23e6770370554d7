/** Colours and columns for terminals. */
import pc from 'picocolors';
import stringWidth from 'string-width';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
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

export function createPaint(colours: boolean, width: number, command: CommandLine = plainCommand): Paint {
  const colour = pc.createColors(colours);
  return {
    strong: colour.bold,
    soft: colour.dim,
    good: colour.green,
    bad: colour.red,
    warn: colour.yellow,
    place: colour.cyan,
    width,
    command,
  };
}

export const paintLevel = (paint: Paint, level: Level): string =>
  level === 'error' ? paint.bad(level) : level === 'warning' ? paint.warn(level) : paint.soft(level);

/**
 * Lays rows out in columns without lines, indented by two.
 * @param right columns that hold numbers
 * @param most columns of the terminal: where the rows are wider, the last cell of each goes to a line of its own
 */
export function columns(
  rows: readonly (readonly string[])[],
  right: readonly number[] = [],
  most = Infinity,
): string {
  const cells = rows.map((row) =>
    row.map((cell) => {
      const text = onOneLine(visibleAmidColours(cell));
      return { text, width: widthOf(text) };
    }),
  );
  const widths: number[] = [];
  for (const row of cells)
    for (const [at, { width }] of row.entries()) widths[at] = Math.max(widths[at] ?? 0, width);
  const last = widths.length - 1;
  const breaks = widths.length > 2 && widths.reduce((sum, width) => sum + width + 2, 0) > most;
  const lines = cells.map((row) => {
    const padded = row.map(({ text, width }, at) => {
      const space = ' '.repeat(Math.max(0, (widths[at] ?? 0) - width));
      return right.includes(at) ? space + text : text + space;
    });
    if (!breaks || row.length <= last) return `  ${padded.join('  ')}`.trimEnd();
    const own = row[last]?.width === 0 ? '' : `\n      ${padded[last] ?? ''}`;
    return `  ${padded.slice(0, last).join('  ')}`.trimEnd() + own.trimEnd();
  });
  return lines.join('\n');
}

/** Columns that a text takes on the terminal. */
const widthOf = (text: string): number => {
  const bare = text.replace(/\u001b\[\d{1,2}m/g, '');
  return /^[\u0020-\u007e]*$/.test(bare) ? bare.length : stringWidth(bare);
};

/** Shows control characters, so that a name from disk or an answer cannot drive the terminal. For text not yet painted. */
export const visible = (text: string): string =>
  text.replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g, spell);

/** The same for text with colours of our own in it, which stay. */
const visibleAmidColours = (text: string): string =>
  text.replace(
    /\u001b(?!\[\d{1,2}m)|[\u0000-\u0008\u000b-\u001a\u001c-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    spell,
  );

const spell = (sign: string): string => `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`;

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
