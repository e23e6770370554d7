/** Moments, to the minute. */

/** @param at milliseconds since the epoch */
export const formatWhen = (at: number): string =>
  `${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`;
