/** The host names of a destination, and what each needs. */
import { parse } from 'tldts';
import { FenestraError } from '../../core/errors/catalogue.js';
import { occupantOf } from '../../core/dns/complete-zone.js';
import { isWithin } from '../../core/dns/domain-name.js';
import { listRequiredRecords, zoneAmong, type RequiredRecords } from '../../core/dns/required-records.js';
import type { Zone } from '../../core/dns/zone-file.js';
import type { Project } from '../project/open-project.js';

export interface SiteNames {
  readonly domains: readonly string[];
  readonly movedHosts: readonly string[];
  readonly bucketHost: string;
}

/** @param wanted one of them alone @throws FenestraError NAMES_NONE, NAMES_UNKNOWN, NAMES_NO_HOST */
export function listSiteNames({ destination, address }: Project, wanted?: string): SiteNames {
  const { domains, movedHosts } = destination.settings;
  const all = [...domains, ...(movedHosts?.hosts ?? [])];
  if (all.length === 0) throw new FenestraError('NAMES_NONE', { destination: destination.name });
  if (wanted !== undefined && !all.includes(wanted))
    throw new FenestraError('NAMES_UNKNOWN', {
      name: wanted,
      destination: destination.name,
      known: all.join(', '),
    });
  const isWanted = (name: string): boolean => wanted === undefined || name === wanted;
  const host = new URL(address).hostname;
  const why = all.includes(host)
    ? 'a name of the site itself'
    : host.endsWith('.localhost')
      ? 'the emulation on this machine'
      : undefined;
  if (destination.bucketHost === undefined && why !== undefined)
    throw new FenestraError('NAMES_NO_HOST', { bucket: destination.bucket, address, why });
  return {
    domains: domains.filter(isWanted),
    movedHosts: (movedHosts?.hosts ?? []).filter(isWanted),
    bucketHost: destination.bucketHost ?? host,
  };
}

/** What anybody can register below what nobody can. */
/** The domain that somebody has registered, of which a name is a part. */
export const registrable = (name: string): string =>
  parse(name, { allowPrivateDomains: true }).domain ?? name;

/**
 * @param zone as it was said; else the shortest of the names that are in one, else what can be registered
 * @param given the zone as it is, where somebody gave it
 */
export function needsOf(
  { domains, movedHosts, bucketHost }: SiteNames,
  addresses: readonly string[],
  ttl: number,
  zone?: (name: string) => string | undefined,
  given?: Zone,
): RequiredRecords[] {
  const guess = zoneAmong([...domains, ...movedHosts], registrable);
  return listRequiredRecords(
    {
      domains,
      movedHosts,
      bucketHost,
      addresses,
      ttl,
      occupantOf: given && ((name) => occupantOf(given, name)),
    },
    (name) => zone?.(name) ?? guess(name),
  );
}

/** A zone that was named, for the names that are in it. */
export const zoneNamed =
  (zone: string | undefined) =>
  (name: string): string | undefined =>
    zone !== undefined && isWithin(name, zone) ? zone : undefined;
