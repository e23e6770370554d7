/** What pages are shown on, and how long something is on it. */

export interface Screen {
  /** CSS pixels. */
  readonly width: number;
  readonly height: number;
  /** Device pixels for each CSS pixel. */
  readonly density: number;
}

export const DEFAULT_SCREEN: Screen = { width: 1280, height: 800, density: 1 };

const EM = 16;
/** Pixels of each unit of length. */
const UNITS = new Map<string, (screen: Screen) => number>([
  ['px', () => 1],
  ['em', () => EM],
  ['rem', () => EM],
  ['ch', () => EM / 2],
  ['ex', () => EM / 2],
  ['cm', () => 96 / 2.54],
  ['mm', () => 96 / 25.4],
  ['in', () => 96],
  ['pt', () => 96 / 72],
  ['pc', () => 16],
  ['vw', ({ width }) => width / 100],
  ['vi', ({ width }) => width / 100],
  ['dvw', ({ width }) => width / 100],
  ['svw', ({ width }) => width / 100],
  ['lvw', ({ width }) => width / 100],
  ['vh', ({ height }) => height / 100],
  ['vb', ({ height }) => height / 100],
  ['dvh', ({ height }) => height / 100],
  ['vmin', ({ width, height }) => Math.min(width, height) / 100],
  ['vmax', ({ width, height }) => Math.max(width, height) / 100],
]);

/** A length in CSS pixels; undefined for what is none. */
export function lengthOf(text: string, screen: Screen): number | undefined {
  const [, number, unit = ''] = /^([+-]?(?:\d+(?:\.\d+)?|\.\d+))([a-z]*)$/i.exec(text.trim()) ?? [];
  if (number === undefined) return undefined;
  if (unit === '') return Number(number) === 0 ? 0 : undefined;
  const pixels = UNITS.get(unit.toLowerCase())?.(screen);
  return pixels === undefined ? undefined : Number(number) * pixels;
}

/** Splits at commas that stand outside parentheses. */
export const splitList = (text: string): string[] =>
  splitOutside(text, (character) => character === ',').map((part) => part.trim());

/** Splits at blanks that stand outside parentheses. */
export const splitWords = (text: string): string[] =>
  splitOutside(text, (character) => /\s/.test(character)).filter((word) => word !== '');

function splitOutside(text: string, isBetween: (character: string) => boolean): string[] {
  const parts: string[] = [];
  let [depth, from] = [0, 0];
  for (let at = 0; at < text.length; at++) {
    const character = text.charAt(at);
    if (character === '(') depth++;
    else if (character === ')') depth = Math.max(0, depth - 1);
    else if (depth === 0 && isBetween(character)) {
      parts.push(text.slice(from, at));
      from = at + 1;
    }
  }
  parts.push(text.slice(from));
  return parts;
}
