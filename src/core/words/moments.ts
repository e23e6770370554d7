/** Moments in words, all in UTC. Each takes milliseconds since the epoch. */

/** What a machine reads: `2026-10-10T13:55:36.000Z`. */
export const isoMoment = (at: number): string => new Date(at).toISOString();

/** `2026-10-10` */
export const formatDay = (at: number): string => isoMoment(at).slice(0, 10);

/** `13:55:36` */
export const formatClock = (at: number): string => isoMoment(at).slice(11, 19);

/** `2026-10-10 13:55 UTC` */
export const formatWhen = (at: number): string => `${isoMoment(at).slice(0, 16).replace('T', ' ')} UTC`;

/** `2026-10-10 13:55:36 UTC` */
export const formatSecond = (at: number): string => `${isoMoment(at).slice(0, 19).replace('T', ' ')} UTC`;
