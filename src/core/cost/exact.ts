/** Exact amounts: fractions of whole numbers, rounded once and at the end. */

/** `d` is above zero. */
export interface Exact {
  readonly n: bigint;
  readonly d: bigint;
}

export const ZERO: Exact = { n: 0n, d: 1n };

export const whole = (n: bigint): Exact => ({ n, d: 1n });

/** `0.0230` or `4e-7` as it is written; undefined where it is no such number. */
export function parseExact(text: string): Exact | undefined {
  const [, digits = '', places = '', power = '0'] =
    /^(\d{1,15})(?:\.(\d{1,20}))?(?:[eE]([+-]?\d{1,2}))?$/.exec(text) ?? [];
  if (digits === '') return undefined;
  const shift = BigInt(power) - BigInt(places.length);
  const n = BigInt(digits + places);
  return shift < 0n ? { n, d: 10n ** -shift } : { n: n * 10n ** shift, d: 1n };
}

export const add = (a: Exact, b: Exact): Exact =>
  a.d === b.d ? { n: a.n + b.n, d: a.d } : reduced(a.n * b.d + b.n * a.d, a.d * b.d);

export const subtract = (a: Exact, b: Exact): Exact => add(a, { n: -b.n, d: b.d });

export const times = (a: Exact, b: Exact): Exact => reduced(a.n * b.n, a.d * b.d);

export const compareExact = (a: Exact, b: Exact): number => {
  const difference = a.n * b.d - b.n * a.d;
  return difference < 0n ? -1 : difference > 0n ? 1 : 0;
};

function reduced(n: bigint, d: bigint): Exact {
  let [a, b] = [n < 0n ? -n : n, d];
  while (b > 0n) [a, b] = [b, a % b];
  return a > 1n ? { n: n / a, d: d / a } : { n, d };
}

export const ROUNDINGS = ['half-up', 'half-even', 'up', 'down'] as const;
export type Rounding = (typeof ROUNDINGS)[number];

/** Whole units of the last place. Amounts are not below zero. */
export function toUnits({ n, d }: Exact, places: number, rounding: Rounding): bigint {
  const scaled = n * 10n ** BigInt(places);
  const [down, rest] = [scaled / d, scaled % d];
  if (rest === 0n || rounding === 'down') return down;
  if (rounding === 'up') return down + 1n;
  const twice = rest * 2n;
  if (twice === d) return rounding === 'half-up' || down % 2n === 1n ? down + 1n : down;
  return twice > d ? down + 1n : down;
}

/** @param units of the last place */
export function formatUnits(units: bigint, places: number): string {
  const sign = units < 0n ? '-' : '';
  const digits = String(units < 0n ? -units : units).padStart(places + 1, '0');
  return places === 0 ? sign + digits : `${sign}${digits.slice(0, -places)}.${digits.slice(-places)}`;
}

/**
 * Amounts rounded so that together they are the rounded sum: each is rounded down, and what is left goes to those that
 * lost most.
 */
export function shareUnits(amounts: readonly Exact[], places: number, rounding: Rounding): bigint[] {
  const sum = toUnits(amounts.reduce(add, ZERO), places, rounding);
  const down = amounts.map((amount) => toUnits(amount, places, 'down'));
  let left = sum - down.reduce((a, b) => a + b, 0n);
  const lost = amounts
    .map((amount, at) => ({
      at,
      lost: subtract(amount, { n: down[at] ?? 0n, d: 10n ** BigInt(places) }),
    }))
    .sort((a, b) => compareExact(b.lost, a.lost) || a.at - b.at);
  for (const { at } of lost) {
    if (left <= 0n) break;
    down[at] = (down[at] ?? 0n) + 1n;
    left--;
  }
  return down;
}
