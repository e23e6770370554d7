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

/**
 * Until when resolvers may hold what had longer TTLs, which were lowered since: milliseconds since the epoch, 0 where
 * none were. Each is followed by what it leads to.
 */
export interface Held {
  readonly record: number;
  /** NS sets. */
  readonly delegation: number;
  /** Addresses of the zone's servers. */
  readonly address: number;
}
export const HELD_NOTHING: Held = { record: 0, delegation: 0, address: 0 };

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

/** What bears on a wait beside its TTLs: milliseconds since the epoch. */
export interface Moments {
  /** When the last of the servers had changed at the latest. */
  readonly changedAt: number;
  readonly held?: Held;
  /** Since when the servers of before have been known to answer no more, so that nobody gets the old answer from them. */
  readonly goneSince?: number | undefined;
}

export function decideWait(
  change: NameChange,
  ttls: Ttls,
  negative: number,
  { changedAt, held = HELD_NOTHING, goneSince }: Moments,
): Wait {
  const isGone = goneSince !== undefined && (change === 'delegation' || change === 'servers');
  const led = change === 'servers' ? (ttls.address ?? 0) : Math.max(ttls.parentNs, ttls.zoneNs);
  const seconds = isGone ? Math.max(led, ttls.record) : secondsToWait(change, ttls, negative);
  const least = isGone
    ? Math.max(changedAt + led * 1000, Math.max(changedAt, goneSince) + ttls.record * 1000)
    : changedAt + seconds * 1000;
  // From servers that are gone nothing comes after what led to them.
  const until = Math.max(least, heldUntil(change, isGone ? { ...ttls, record: 0 } : ttls, held));
  return {
    until,
    change,
    seconds,
    because:
      until > least
        ? 'the TTLs were lowered shortly before the change, and what was asked before that is held for as long as they were'
        : isGone
          ? `the servers of before answer no more: ${led} s for which resolvers still ask them, or the TTL of the old record (${ttls.record} s)`
          : BECAUSE[change](ttls, negative),
  };
}

/** Until when it is held because of TTLs that were longer. */
function heldUntil(change: NameChange, ttls: Ttls, held: Held): number {
  const then = (until: number): number => (until === 0 ? 0 : until + ttls.record * 1000);
  if (change === 'delegation') return Math.max(then(held.delegation), held.record);
  if (change === 'servers') return Math.max(then(held.address), held.record);
  return change === 'keys' ? 0 : held.record;
}

const BECAUSE: Readonly<Record<NameChange, (ttls: Ttls, negative: number) => string>> = {
  delegation: ({ parentNs, zoneNs, record }) =>
    `the larger of the NS TTLs at the parent (${parentNs} s) and in the zone (${zoneNs} s), and the TTL of the old record (${record} s) after it`,
  servers: ({ address = 0, record }) =>
    `the TTL of the addresses of the name servers (${address} s), and that of the old record (${record} s) after it`,
  keys: ({ keys = 0 }) =>
    `the TTL of the old DS or of the old keys (${keys} s), and ${REFUSED_FOR} s for which validating resolvers remember what did not pass`,
  record: ({ record }) => `the TTL of the old record, ${record} s`,
  made: (_, negative) => `resolvers remember for ${negative} s that there was none`,
};

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
