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

const ABBREVIATED: ReadonlyMap<string, Unit> = new Map(
  Object.entries({
    s: 'second',
    sec: 'second',
    m: 'minute',
    min: 'minute',
    h: 'hour',
    hr: 'hour',
    d: 'day',
    w: 'week',
    wk: 'week',
    mo: 'month',
    y: 'year',
    yr: 'year',
  } as const),
);

/** Amounts that people write as words. */
const AMOUNTS = ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten'];
const ONE = new Set(['a', 'an']);

/** What the JSON Schema says of a duration: amounts with units, one after the other. */
export const DURATION_PATTERN = `^ *(?:(?:\\d+(?:\\.\\d+)?|[Aa]n?|${AMOUNTS.join('|')}) *(?:${[...Object.keys(UNITS), ...ABBREVIATED.keys()].join('|')})s?(?: +| *, *| +and +|(?=\\d)|$))+$`;

const PART = /^(-?\d+(?:\.\d+)?|[a-z]+(?=\s))\s*([a-z]*)/i;
const BETWEEN = /^(?:\s*,)?\s*(?:and\s+)?/i;
const EXAMPLE = '10 days';

/**
 * Parses a duration to whole seconds, or says what is wrong with it and what was probably meant: `90 seconds`, `30d`,
 * `1 h 30 min`, `a week`.
 */
export function parseDuration(text: string): DurationResult {
  let rest = text.trim();
  let seconds = 0;
  for (let parts = 0; rest !== ''; parts++) {
    const match = PART.exec(rest);
    const amount = amountOf(match?.[1] ?? '');
    if (!match || amount === undefined) return noDuration(text);
    const [whole, number = '', written = ''] = match;
    if (written === '') return { fault: `"${text}" has no unit`, becomes: `${number} seconds` };
    const unit = unitOf(written.toLowerCase());
    if (unit === undefined) {
      // Words that begin with an article or a number alone are words and no duration.
      if (!/^[-\d]/.test(number)) return noDuration(text);
      return {
        fault: `"${written}" is not a unit of time`,
        becomes: `${number} ${plural(amount, nearestUnit(written.toLowerCase()))}`,
      };
    }
    if (amount < 0) return { fault: `"${text}" is negative`, becomes: text.trim().replace('-', '') };
    seconds += amount * UNITS[unit];
    rest = rest.slice(whole.length).replace(BETWEEN, '');
    if (parts > MAX_PARTS) return { fault: `"${text.slice(0, 40)}…" has too many parts`, becomes: EXAMPLE };
  }
  if (text.trim() === '') return { fault: `"${text}" is not a duration`, becomes: EXAMPLE };
  // Halves of an hour are whole numbers of seconds that counting in binary may miss by nothing.
  const rounded = Math.round(seconds);
  if (Math.abs(seconds - rounded) > 1e-6) return { fault: `"${text}" is not a whole number of seconds` };
  if (rounded > 2_147_483_648)
    return { fault: `"${text}" is longer than caches can count`, becomes: '1 year' };
  return { seconds: rounded };
}

/** `after 8 days` and `+8 days` have one in them. */
function noDuration(text: string): DurationResult {
  const [, words = '', within = ''] =
    /^([a-z ]{0,40}\+?\s?)\b(\d{1,6}(?:\.\d{1,3})?\s?[a-z]{1,9})$/i.exec(text.trim()) ?? [];
  const isOne = words !== '' && within !== '' && 'seconds' in parseDuration(within);
  return { fault: `"${text}" is not a duration`, becomes: isOne ? within : EXAMPLE };
}

const MAX_PARTS = 8;

function amountOf(word: string): number | undefined {
  if (/^-?\d/.test(word)) return Number(word);
  if (ONE.has(word.toLowerCase())) return 1;
  const place = AMOUNTS.indexOf(word.toLowerCase());
  return place < 0 ? undefined : place;
}

function unitOf(word: string): Unit | undefined {
  const single = word.length > 1 && word.endsWith('s') ? word.slice(0, -1) : word;
  return Object.hasOwn(UNITS, single) ? (single as Unit) : ABBREVIATED.get(single);
}

const nearestUnit = (word: string): Unit => closest(word.replace(/s$/, ''), Object.keys(UNITS)) as Unit;

const plural = (amount: number, unit: Unit): string => (amount === 1 ? unit : `${unit}s`);

/** Formats seconds in the largest unit that divides them: 864000 becomes `10 days`. */
export function formatDuration(seconds: number): string {
  if (seconds === 0) return '0 seconds';
  const units: Unit[] = ['year', 'day', 'hour', 'minute', 'second'];
  const unit = units.find((name) => seconds % UNITS[name] === 0) ?? 'second';
  const amount = seconds / UNITS[unit];
  return `${amount} ${plural(amount, unit)}`;
}

const countIn = (seconds: number, unit: Unit): string => {
  const amount = Math.round(seconds / UNITS[unit]);
  return `${amount} ${plural(amount, unit)}`;
};

/** The same where nobody wants to count: `about 11 years` for 349765159 seconds. */
export function roughDuration(seconds: number): string {
  const exact = formatDuration(seconds);
  if (Number.parseFloat(exact) < 1000) return exact;
  const unit = (['year', 'day', 'hour', 'minute'] as const).find((name) => seconds >= 2 * UNITS[name]);
  return unit === undefined ? exact : `about ${countIn(seconds, unit)}`;
}
