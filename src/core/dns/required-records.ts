/** What each name of a site needs, so that it leads to the bucket's host. */
import { isWithin, withDot } from './domain-name.js';
import type { NameRecord } from './record.js';

export interface NameRequirementsInput {
  /** Names that show the site. */
  readonly domains: readonly string[];
  /** Names that move their visitors on to the first of them. */
  readonly movedHosts: readonly string[];
  /** Where the store serves the bucket. */
  readonly bucketHost: string;
  /** What the bucket's host comes to, as far as it is known. */
  readonly addresses: readonly string[];
  /** Seconds. */
  readonly ttl: number;
  /** The type of what stands at a name beside what leads it somewhere, where that is known. */
  readonly occupantOf?: ((name: string) => string | undefined) | undefined;
}

/** A way to lead a name to the bucket's host. */
export interface Way {
  readonly kind: 'alias' | 'addresses' | 'service';
  readonly records: readonly NameRecord[];
  /** What it is for, and what it lacks. */
  readonly because: string;
}

export interface RequiredRecords {
  readonly name: string;
  readonly role: 'site' | 'moved';
  /** The zone that it is taken to be in. */
  readonly zone: string;
  readonly isApex: boolean;
  readonly bucketHost: string;
  /** The first is the one to choose; each is enough by itself, but for what it says that it lacks. */
  readonly ways: readonly Way[];
}

/** @param zoneOf the zone that a name is in */
export function listRequiredRecords(
  wish: NameRequirementsInput,
  zoneOf: (name: string) => string,
): RequiredRecords[] {
  const first = wish.domains[0];
  const need = (name: string, role: RequiredRecords['role']): RequiredRecords => {
    const zone = zoneOf(name);
    const isApex = name === zone;
    const { bucketHost } = wish;
    return { name, role, zone, isApex, bucketHost, ways: waysOf(name, zone, wish, role, first) };
  };
  return [
    ...wish.domains.map((name) => need(name, 'site')),
    ...wish.movedHosts.map((name) => need(name, 'moved')),
  ];
}

function waysOf(
  name: string,
  zone: string,
  { bucketHost, addresses, ttl, occupantOf }: NameRequirementsInput,
  role: RequiredRecords['role'],
  first: string | undefined,
): Way[] {
  const then = role === 'moved' && first !== undefined ? `; it answers there with 301 to ${first}` : '';
  const occupant = occupantOf?.(name);
  if (name !== zone && occupant === undefined)
    return [
      {
        kind: 'alias',
        records: [{ name, type: 'CNAME', ttl, data: withDot(bucketHost) }],
        because: `an alias: it follows the store wherever its addresses go${then}`,
      },
    ];
  const given = addresses.map((address) => ({
    name,
    type: address.includes(':') ? 'AAAA' : 'A',
    ttl,
    data: address,
  }));
  const why =
    name === zone
      ? "a CNAME is not allowed at a zone's apex (RFC 1034 section 3.6.2)"
      : `a CNAME is not allowed beside anything else (RFC 1034 section 3.6.2), and ${name} has ${occupant ?? ''}`;
  const byAddresses: Way = {
    kind: 'addresses',
    records: given,
    because: `${why}, so the addresses of ${bucketHost} stand here themselves: they have to be changed when the store's change${then}`,
  };
  if (name !== zone) return [byAddresses];
  return [
    byAddresses,
    {
      kind: 'service',
      records: [{ name, type: 'HTTPS', ttl, data: `0 ${withDot(bucketHost)}` }],
      because:
        'an HTTPS record in alias mode (RFC 9460) beside the addresses: browsers that know it follow the store; others still need the addresses',
    },
  ];
}

/** Whether a name's own records lead to the bucket's host. @param target the addresses that the host has */
export function leadsThere(
  own: readonly NameRecord[],
  { bucketHost, ways }: Pick<RequiredRecords, 'bucketHost' | 'ways'>,
  target: readonly string[],
): boolean {
  const aliases = own.filter(({ type }) => type === 'CNAME');
  if (aliases.some(({ data }) => data === withDot(bucketHost))) return true;
  const addresses = own.filter(({ type }) => type === 'A' || type === 'AAAA').map(({ data }) => data);
  const wanted = new Set([
    ...target,
    ...ways.flatMap(({ kind, records }) => (kind === 'addresses' ? records.map(({ data }) => data) : [])),
  ]);
  return addresses.length > 0 && wanted.size > 0 && addresses.every((address) => wanted.has(address));
}

/** The zone of each name, where nobody says it: names are in the zone of the shortest of them that they lie below. */
export const zoneAmong =
  (names: readonly string[], registrable: (name: string) => string) =>
  (name: string): string =>
    names
      .filter((other) => isWithin(name, other) && isWithin(other, registrable(name)))
      .reduce((shortest, other) => (other.length < shortest.length ? other : shortest), registrable(name));
