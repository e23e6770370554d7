/** Colours and columns for terminals. */
import Table from 'cli-table3';
import pc from 'picocolors';
import type { Level } from '../../core/site/site-object.js';

export interface Paint {
  readonly strong: (text: string) => string;
  readonly soft: (text: string) => string;
  readonly good: (text: string) => string;
  readonly bad: (text: string) => string;
  readonly warn: (text: string) => string;
  readonly place: (text: string) => string;
  /** Columns to fill. */
  readonly width: number;
}

export function createPaint(colours: boolean, width: number): Paint {
  const colour = pc.createColors(colours);
  return {
    strong: colour.bold,
    soft: colour.dim,
    good: colour.green,
    bad: colour.red,
    warn: colour.yellow,
    place: colour.cyan,
    width,
  };
}

export const paintLevel = (paint: Paint, level: Level): string =>
  level === 'error' ? paint.bad(level) : level === 'warning' ? paint.warn(level) : paint.soft(level);

const NO_LINES = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
};

/** Lays rows out in columns without lines, indented by two. @param right columns that hold numbers */
export function columns(rows: readonly (readonly string[])[], right: readonly number[] = []): string {
  if (rows.length === 0) return '';
  const table = new Table({
    chars: NO_LINES,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [], compact: true },
    colAligns: (rows[0] ?? []).map((_, at) => (right.includes(at) ? 'right' : 'left')),
  });
  table.push(...rows.map((row) => row.map((cell) => visibleAmidColours(cell))));
  return table
    .toString()
    .split('\n')
    .map((line) => `  ${line}`.trimEnd())
    .join('\n');
}

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
