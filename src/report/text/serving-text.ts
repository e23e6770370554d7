/** What a serving session says when it begins. */
import type { Paint } from './paint.js';

/** An address that people can type, whatever kind of host it is. */
export const bareAddress = (host: string, port: number): string =>
  `http://${host.includes(':') ? `[${host}]` : host}:${port}/`;

/** @param place the path of its host that the bucket is served below */
export const bucketAddress = (bucket: string, port: number, place = '/'): string =>
  `http://${bucket}.localhost:${port}${place}`;

/** @param buckets those that are there now @param unpublished it is the site folder that is served */
export function formatServing(
  {
    host,
    port,
    buckets,
    places,
  }: {
    readonly host: string;
    readonly port: number;
    readonly buckets: readonly string[];
    readonly places: ReadonlyMap<string, string>;
  },
  unpublished: boolean,
  paint: Paint,
): string {
  const what = unpublished
    ? 'the site folder, as it would be published and open'
    : buckets.length > 0
      ? 'the buckets of this store'
      : 'a store without buckets yet';
  return [
    `Serving ${what}. Ctrl-C ends it.`,
    ...buckets.map((bucket) => `  ${paint.strong(bucketAddress(bucket, port, places.get(bucket)))}`),
    `  ${paint.soft(`${bareAddress(host, port)} lists them`)}`,
  ].join('\n');
}

/** What is to be done before an address of the emulation answers; '' where it does, or where it is none. */
export const formatNotServed = (served: boolean | undefined, paint: Paint): string =>
  served === false ? `Nothing serves it now. Start it with: ${paint.command('serve')}` : '';

/** A warning where other machines may be listening; undefined on this machine alone. */
export const formatExposed = (host: string, paint: Paint): string | undefined =>
  /^(?:127\.|localhost$|::1$)/.test(host)
    ? undefined
    : paint.warn(
        `Listening on ${host}: every machine that can reach this one can read the open buckets here.`,
      );
