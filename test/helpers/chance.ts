/** Chance that can be had again: the seed is printed where a test fails, and FENESTRA_SEED gives it. */
import { seeded } from '../../src/stores/contract/kit.js';

export const SEED = Number(process.env['FENESTRA_SEED'] ?? Date.now() % 1_000_000);

/** How many times as long as in `npm test`: `npm run attack` sets it. */
export const LONGER = Number(process.env['FENESTRA_ATTACK'] ?? 1);

/** Numbers from 0 to 1. @param name tells one use from another */
export const chance = (name: string): (() => number) =>
  seeded([...name].reduce((sum, letter) => Math.imul(sum, 31) + letter.charCodeAt(0), SEED));
