/** An endpoint that serves a bucket below a path of its host, such as a store under its own address. */

/** The path without its closing slash; '' at the root. */
export const pathBefore = ({ pathname }: URL): string => pathname.replace(/\/$/, '');

/** A request target as it has to be asked. */
export const targetBelow = (base: URL, target: string): string =>
  target === '*' ? target : pathBefore(base) + target;

/** Where a redirect leads, as it would be at the root of the host: what is compared knows nothing of the path. */
export function locationAtRoot(base: URL, location: string): string {
  const before = pathBefore(base);
  if (before === '') return location;
  if (location.startsWith(`${before}/`)) return location.slice(before.length);
  const whole = `${base.origin}${before}/`;
  return location.startsWith(whole) ? `${base.origin}/${location.slice(whole.length)}` : location;
}
