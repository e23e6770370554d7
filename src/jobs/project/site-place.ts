/** Where a site lies on its host: a bucket may be served below a path, such as a store's own address. */
import type { Project } from './open-project.js';

/** The path below which the bucket is served, with its closing slash; the folder of a bucket is no part of it. */
export const placeOfSite = ({ destination: { address } }: Pick<Project, 'destination'>): string =>
  address === undefined ? '/' : new URL(address).pathname.replace(/\/?$/, '/');

/** The paths below which the buckets of a store are served, where it is not at the root; the destination that is meant counts first. */
export function placesInStore({
  config,
  destination,
}: Pick<Project, 'config' | 'destination'>): Map<string, string> {
  const places = new Map<string, string>();
  for (const each of [destination, ...config.destinations]) {
    const place = placeOfSite({ destination: each });
    if (each.store === destination.store && place !== '/' && !places.has(each.bucket))
      places.set(each.bucket, place);
  }
  return places;
}

/** The endpoint of the whole bucket. @param at may name the folder of it that the site lies in */
export function endpointOfBucket(at: URL, { destination: { under } }: Pick<Project, 'destination'>): URL {
  if (under === undefined || !at.pathname.endsWith(`/${under}`)) return at;
  const whole = new URL(at);
  whole.pathname = at.pathname.slice(0, -under.length);
  return whole;
}

/** A path of an address as one of the bucket; undefined where it lies elsewhere on the host. */
export const pathInPlace = (path: string, place: string): string | undefined =>
  path.startsWith(place) ? path.slice(place.length - 1) : undefined;
