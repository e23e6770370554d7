import type { Rate } from '../../src/core/cost/rate-card.js';

/** A rate of which nothing is free, unless it is said. */
export const makeRate = (more: Pick<Rate, 'per' | 'tiers'> & Partial<Rate>): Rate => ({
  free: 0n,
  freeMonths: Infinity,
  wholeUnits: false,
  ...more,
});
