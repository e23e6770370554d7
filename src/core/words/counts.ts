const STEPS = ['B', 'KB', 'MB', 'GB', 'TB'];

/** Bytes for people, in steps of 1,000: `4.1 KB`. */
export function formatBytes(bytes: number): string {
  let value = bytes;
  let step = 0;
  while (value >= 999.5 && step < STEPS.length - 1) {
    value /= 1000;
    step++;
  }
  const shown = step === 0 || value >= 99.5 ? String(Math.round(value)) : value.toFixed(1);
  return `${shown} ${STEPS[step]}`;
}

/** How a size is written: steps of 1,000, or of 1,024 with an i. */
export const SIZE_PATTERN = '^[0-9]{1,15}([.][0-9]{1,3})? ?([kKMGT]i?)?B$';

/** The opposite: `64 MB` or `1 GiB` to a number; undefined where it is none, or too large to be exact. */
export function parseBytes(text: string): number | undefined {
  const [, number, unit = '', binary] =
    /^(\d{1,15}(?:\.\d{1,3})?)\s*(?:([kKMGT])(i)?)?B$/.exec(text.trim()) ?? [];
  if (number === undefined) return undefined;
  const step = Math.max(0, STEPS.indexOf(`${unit.toUpperCase()}B`));
  const bytes = Math.round(Number(number) * (binary ? 1024 : 1000) ** step);
  return Number.isSafeInteger(bytes) ? bytes : undefined;
}

/** Whole numbers with a comma between thousands. */
export function formatCount(count: number): string {
  const digits = String(count);
  const parts: string[] = [];
  for (let end = digits.length; end > 0; end -= 3) parts.unshift(digits.slice(Math.max(0, end - 3), end));
  return parts.join(',');
}

/** `1 object`, `2 objects`. */
export const countOf = (count: number, singular: string, plural = `${singular}s`): string =>
  `${formatCount(count)} ${count === 1 ? singular : plural}`;
