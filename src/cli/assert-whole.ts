/** Options that are whole numbers. */
import { FenestraError } from '../core/errors/catalogue.js';

/** @throws FenestraError USAGE unless it is from 1 to the most that there may be */
export function assertWhole(option: string, value: number, most: number): void {
  if (Number.isInteger(value) && value >= 1 && value <= most) return;
  throw new FenestraError('USAGE', {
    what: `--${option} ${value} cannot be used.`,
    fix: `Give a whole number from 1 to ${most}.`,
  });
}
