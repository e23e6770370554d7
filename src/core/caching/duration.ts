/** Durations as people write them: `90 seconds`, `10 days`, `1 year`. */
import { closest } from 'fastest-levenshtein';

/** Seconds in each unit. A month is 30 days and a year 365, as in caching practice. */
export const UNITS = {
  second: 1,
  minute: 60,
  hour: 3600,
  day: 86_400,
  week: 604_800,
  month: 2_592_000,
  year: 31_536_000,
} as const;

export type Unit = keyof typeof UNITS;
export const YEAR = UNITS.year;

export type DurationResult =
  { readonly seconds: number } | { readonly fault: string; readonly becomes?: string };

/** Parses a duration to whole seconds, or says what is wrong with it and what was probably meant. */
export function parseDuration(text: string): DurationResult {
  const match = /^(-?\d+(?:\.\d+)?)\s*([a-z]*)$/i.exec(text.trim());
  if (!match) return { fault: `"${text}" is not a duration`, becomes: '10 days' };
  const [, amount = '', written = ''] = match;
  if (written === '') return { fault: `"${text}" has no unit`, becomes: `${amount} seconds` };
  const word = written.toLowerCase();
  const unit = unitOf(word);
  if (unit === undefined) {
    return {
      fault: `"${written}" is not a unit of time`,
      becomes: `${amount} ${plural(Number(amount), nearestUnit(word))}`,
    };
  }
  const seconds = Number(amount) * UNITS[unit];
  if (seconds < 0) return { fault: `"${text}" is negative`, becomes: `${amount.slice(1)} ${written}` };
  if (!Number.isInteger(seconds)) return { fault: `"${text}" is not a whole number of seconds` };
  if (seconds > 2_147_483_648)
    return { fault: `"${text}" is longer than caches can count`, becomes: '1 year' };
  return { seconds };
}

function unitOf(word: string): Unit | undefined {
  const single = word.endsWith('s') ? word.slice(0, -1) : word;
  return Object.hasOwn(UNITS, single) ? (single as Unit) : undefined;
}

const ABBREVIATED: ReadonlyMap<string, Unit> = new Map(
  Object.entries({
    s: 'second',
    sec: 'second',
    secs: 'second',
    m: 'minute',
    min: 'minute',
    mins: 'minute',
    h: 'hour',
    hr: 'hour',
    hrs: 'hour',
    d: 'day',
    w: 'week',
    wk: 'week',
    mo: 'month',
    y: 'year',
    yr: 'year',
    yrs: 'year',
  } as const),
);

const nearestUnit = (word: string): Unit =>
  ABBREVIATED.get(word) ?? (closest(word.replace(/s$/, ''), Object.keys(UNITS)) as Unit);

const plural = (amount: number, unit: Unit): string => (amount === 1 ? unit : `${unit}s`);

/** Formats seconds in the largest unit that divides them: 864000 becomes `10 days`. */
export function formatDuration(seconds: number): string {
  if (seconds === 0) return '0 seconds';
  const units: Unit[] = ['year', 'day', 'hour', 'minute', 'second'];
  const unit = units.find((name) => seconds % UNITS[name] === 0) ?? 'second';
  const amount = seconds / UNITS[unit];
  return `${amount} ${plural(amount, unit)}`;
}
