import { ZERO } from '../../src/core/cost/exact.js';
import { NO_USAGE, type Rate, type RateCard, type Usage } from '../../src/core/cost/rate-card.js';

/** A rate of which nothing is free, unless it is said. */
export const makeRate = (more: Pick<Rate, 'per' | 'tiers'> & Partial<Rate>): Rate => ({
  free: 0n,
  freeMonths: Infinity,
  wholeUnits: false,
  ...more,
});

/** A card in euros that names nothing, unless it is said. */
export const makeCard = (more: Partial<RateCard>): RateCard => ({
  name: 'Quay',
  currency: 'EUR',
  decimals: 2,
  rounding: 'half-up',
  date: undefined,
  minimum: ZERO,
  frontFixed: ZERO,
  tax: ZERO,
  leastStorage: 0n,
  rates: {},
  ...more,
});

/** A month of nothing, unless it is said. */
export const makeUsage = (more: Partial<Usage>): Usage => ({ ...NO_USAGE, ...more });
