/**
 * How long a change in the name servers takes to reach everyone whose resolver keeps to the TTLs. The terms add up: a
 * resolver may fetch the old record in the last second of the delegation, and keep it for as long as its own TTL.
 */

/** TTLs in seconds. */
export interface Ttls {
  /** Of the NS set at the parent. */
  readonly parentNs: number;
  /** Of the NS set in the zone itself. */
  readonly zoneNs: number;
  /** Of the record that there was. */
  readonly record: number;
  /** Of the addresses of the zone's servers. */
  readonly address?: number;
  /** Of what the parent says of keys. */
  readonly keys?: number;
}

/**
 * What has changed: who answers for the zone, where those servers are, one record of it, that a record is there at all,
 * or which keys the parent vouches for.
 */
export type NameChange = 'delegation' | 'servers' | 'record' | 'made' | 'keys';

/** Resolvers remember for so long that an answer did not pass. Seconds. */
export const REFUSED_FOR = 60;

/** Seconds from the change on. @param negative for how long it is remembered that there was nothing */
export function secondsToWait(
  change: NameChange,
  { parentNs, zoneNs, record, address = 0, keys = 0 }: Ttls,
  negative: number,
): number {
  if (change === 'delegation') return Math.max(parentNs, zoneNs) + record;
  if (change === 'servers') return address + record;
  if (change === 'keys') return keys + REFUSED_FOR;
  return change === 'record' ? record : negative;
}

export interface Wait {
  /** Milliseconds since the epoch: by then those that keep to the TTLs have the new answer. */
  readonly until: number;
  readonly change: NameChange;
  readonly seconds: number;
  /** What it rests on, in words. */
  readonly because: string;
}

/**
 * @param changedAt when the last of the servers had changed at the latest: milliseconds since the epoch
 * @param heldUntil until when resolvers may hold what had longer TTLs before
 */
export function decideWait(
  change: NameChange,
  ttls: Ttls,
  negative: number,
  changedAt: number,
  heldUntil = 0,
): Wait {
  const seconds = secondsToWait(change, ttls, negative);
  return {
    until: Math.max(changedAt + seconds * 1000, heldUntil),
    change,
    seconds,
    because:
      heldUntil > changedAt + seconds * 1000
        ? 'the TTLs were lowered shortly before the change, and what was asked before that is held for as long as they were'
        : change === 'delegation'
          ? `the larger of the NS TTLs at the parent (${ttls.parentNs} s) and in the zone (${ttls.zoneNs} s), and the TTL of the old record (${ttls.record} s) after it`
          : change === 'servers'
            ? `the TTL of the addresses of the name servers (${ttls.address ?? 0} s), and that of the old record (${ttls.record} s) after it`
            : change === 'keys'
              ? `the TTL of the old DS at the parent (${ttls.keys ?? 0} s), and ${REFUSED_FOR} s for which validating resolvers remember what did not pass`
              : change === 'record'
                ? `the TTL of the old record, ${ttls.record} s`
                : `resolvers remember for ${negative} s that there was none`,
  };
}

/** What is left, in milliseconds. */
export const leftOf = ({ until }: Pick<Wait, 'until'>, now: number): number => Math.max(0, until - now);

/** For how long a resolver remembers that there is no such record: the less of the two (RFC 2308 section 5). */
export const negativeTtl = (soaTtl: number, minimum: number): number => Math.min(soaTtl, minimum);

export interface MoveStep {
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly what: string;
  readonly because: string;
}

/** A TTL to which a record is lowered before a move. Seconds. */
export const LOWERED = 300;

/**
 * The steps of a move to other name servers.
 * @param moving when the parent is to be changed: milliseconds since the epoch
 */
export function planMove(moving: number, ttls: Ttls, lowered = Math.min(LOWERED, ttls.record)): MoveStep[] {
  const before = Math.max(ttls.record, ttls.zoneNs);
  const after = secondsToWait(
    'delegation',
    { ...ttls, zoneNs: Math.min(ttls.zoneNs, lowered), record: lowered },
    0,
  );
  const stay = secondsToWait('delegation', { ...ttls, record: lowered }, 0);
  const { keys = 0 } = ttls;
  const steps: MoveStep[] = [
    ...(keys > 0
      ? [
          {
            at: moving - (keys + REFUSED_FOR) * 1000,
            what: 'Have the registrar remove the DS records of the zone; or put the keys of both providers into both zones, signed by both.',
            because: `validating resolvers hold the DS for ${keys} s, and refuse whatever is not signed by a key that it vouches for`,
          },
        ]
      : []),
    {
      at: moving - before * 1000,
      what: `Lower the TTLs of the site's records and of the NS set in the old zone to ${lowered} s.`,
      because: `until then resolvers may keep what they have for ${Math.max(ttls.record, ttls.zoneNs)} s`,
    },
    {
      at: moving - lowered * 1000,
      what: 'Put the new records into the new zone and into the old one.',
      because: 'so both providers answer the same, whoever is asked',
    },
    {
      at: moving,
      what: 'Have the registrar change the NS records at the parent.',
      because: 'from here on new look-ups go to the new provider',
    },
    {
      at: moving + after * 1000,
      what: 'Resolvers that keep to the TTLs have the new answer.',
      because: `NS at the parent ${ttls.parentNs} s, and ${lowered} s of the record after it`,
    },
    {
      at: moving + stay * 1000,
      what: 'Remove the old zone, not before.',
      because: 'visitors whose resolvers still ask it would get SERVFAIL',
    },
    ...(keys > 0
      ? [
          {
            at: moving + stay * 1000,
            what: 'Have the registrar enter the DS records of the new zone, once it is signed.',
            because: 'from here on nobody asks the old zone, so one set of keys is enough',
          },
        ]
      : []),
  ];
  return steps.sort((a, b) => a.at - b.at);
}
