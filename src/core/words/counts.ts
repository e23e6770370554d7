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

/** The opposite: `64 MB` to a number; undefined where it is none. */
export function parseBytes(text: string): number | undefined {
  const [, number, unit = ''] = /^(\d{1,9}(?:\.\d{1,3})?)\s*([kKMGT]?B)$/.exec(text.trim()) ?? [];
  const step = STEPS.findIndex((each) => each.toUpperCase() === unit.toUpperCase());
  return number === undefined || step < 0 ? undefined : Math.round(Number(number) * 1000 ** step);
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
