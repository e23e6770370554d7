/**
 * When an object became what it is. `Last-Modified` counts seconds, so two states of a store never share one: a
 * date alone then tells them apart, also where the clock has gone back (RFC 9110 sections 8.8.2.1 and 8.8.2.2).
 * @param now @param latest the latest that was ever given, both in milliseconds since the epoch
 */
export const sinceAfter = (now: number, latest: number): number =>
  Math.max(now, (Math.floor(latest / 1000) + 1) * 1000);
