/** The other buckets that pages of a site may load from, and the origins that its own pages have. */
import type { Neighbour } from '../../core/check/neighbour.js';
import { hostsOf, type BucketSettings } from '../../core/hosting/bucket-view.js';
import type { Destination } from '../../config/config.js';
import { emulatedAddress, type Project } from '../project/open-project.js';
import { placeOfSite } from '../project/site-place.js';

/** A bucket of the same store, whoever publishes to it. */
export interface OtherBucket {
  readonly name: string;
  readonly settings: BucketSettings;
}

const LOCAL = /^(?:localhost|.*\.localhost|127\.\d+\.\d+\.\d+|0\.0\.0\.0|\[::1\])$/;

/** @param others what else lies in the store, where that is known */
export function listNeighbours(project: Project, others: readonly OtherBucket[]): Neighbour[] {
  const { config, destination } = project;
  const own = new Set([new URL(project.address).host, ...hostsOf(destination.settings)]);
  const isOther = (each: Destination): boolean =>
    each.store !== destination.store || each.bucket !== destination.bucket;
  const published = config.destinations.filter(isOther).map((each): Neighbour => ({
    bucket: each.bucket,
    hosts: [new URL(addressOfBucket(project, each)).host, ...hostsOf(each.settings)],
    place: placeOfSite({ destination: each }),
    sharing: each.settings.sharing,
  }));
  const known = new Set(
    config.destinations.filter(({ store }) => store === destination.store).map(({ bucket }) => bucket),
  );
  const stored = others
    .filter(({ name }) => !known.has(name))
    .map(({ name, settings }): Neighbour => ({
      bucket: name,
      hosts: [new URL(emulatedAddress(name, config)).host, ...hostsOf(settings)],
      place: '/',
      sharing: settings.sharing,
    }));
  return [...published, ...stored]
    .map((each) => ({ ...each, hosts: each.hosts.filter((host) => !own.has(host)) }))
    .filter(({ hosts }) => hosts.length > 0);
}

const addressOfBucket = ({ config }: Project, { address, bucket }: Destination): string =>
  address ?? emulatedAddress(bucket, config);

/** Where the public meets the pages: of a rehearsal on this machine, where the site's other destinations are. */
export function listOrigins(project: Project): string[] {
  const { config, destination } = project;
  const originsOf = (each: Destination): string[] => {
    const address = new URL(addressOfBucket(project, each));
    const scheme = each.front?.https === true || address.protocol === 'https:' ? 'https' : 'http';
    return [address.origin, ...hostsOf(each.settings).map((host) => `${scheme}://${host}`)];
  };
  const isPublic = (origin: string): boolean => !LOCAL.test(new URL(origin).hostname);
  const own = originsOf(destination).filter(isPublic);
  const found = own.length > 0 ? own : config.destinations.flatMap(originsOf).filter(isPublic);
  return [...new Set(found.length > 0 ? found : originsOf(destination))].sort();
}
