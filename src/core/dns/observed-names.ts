/** What was seen of a name before: after a move nothing shows any more what there was, and for how long it is held. */
import type { NameFacts, ServerFacts, ZoneServerFacts } from './facts.js';
import { ownValue } from '../words/own-value.js';
import { sayings, type NameRecord } from './record.js';
import { decideWait, HELD_NOTHING, type Held, type NameChange, type Ttls, type Wait } from './waiting.js';

export interface ObservedName {
  /** When it was seen so first: milliseconds since the epoch. */
  readonly since: number;
  /** The servers that the parent names, sorted. */
  readonly ns: readonly string[];
  readonly addresses: Readonly<Record<string, readonly string[]>>;
  readonly parentNs: number;
  readonly zoneNs: number;
  readonly negative: number;
  readonly own: readonly NameRecord[];
  /** For how long addresses of servers are held; absent where it was not seen. */
  readonly addressTtl?: number;
  /** Which keys the parent vouches for, and for how long that is held. */
  readonly signers?: readonly string[];
  readonly dsTtl?: number;
  /** With which keys it is signed, as all its servers have it; absent where it was not seen. */
  readonly signing?: ObservedSigning;
  /** Whether other servers said something else at the same time. */
  readonly isMixed?: boolean;
  /** TTL of the old answers that servers of before still give, as it was seen last: seconds. */
  readonly lingering?: number;
  /** Until when resolvers may hold what those servers gave before they stopped: milliseconds since the epoch. */
  readonly lingeredUntil?: number;
  readonly held?: Held;
  /** Since when servers of before have been known to answer no more: milliseconds since the epoch. */
  readonly goneSince?: number;
}

export interface ObservedSigning {
  /** Tags of the keys that every server has. */
  readonly tags: readonly number[];
  /** Tags of keys that signed what some server says. */
  readonly by: readonly number[];
  /** For how long the keys are held. Seconds. */
  readonly ttl: number;
}

/**
 * What is seen of a name: one state where all servers say the same, else each that some of them say; none where nobody
 * answers.
 */
export function observe(facts: NameFacts, at: number): ObservedName[] {
  const answering = facts.servers.filter(({ outcome }) => outcome === 'answers');
  const naming = facts.parents.filter(({ ns }) => ns.length > 0);
  const delegations = [...new Map(naming.map(({ ns }) => [ns.join(), ns])).values()];
  const answers = [...new Map(answering.map(({ own }) => [sayings(own), own])).values()];
  const signing = signingOf(answering);
  const isMixed = delegations.length * answers.length > 1;
  return delegations.flatMap((ns) =>
    answers.map((own) => ({
      since: at,
      ns,
      addresses: addressesOf(facts.servers.filter(({ server }) => ns.includes(server))),
      parentNs: Math.max(...facts.parents.map(({ nsTtl }) => nsTtl)),
      zoneNs: Math.max(...answering.map(({ nsTtl }) => nsTtl)),
      negative: Math.max(...answering.map(({ negative = 0 }) => negative)),
      own,
      addressTtl: facts.addressTtl ?? 0,
      signers: [...new Set(facts.parents.flatMap(({ signers = [] }) => signers))].sort(),
      dsTtl: Math.max(0, ...facts.parents.map(({ dsTtl = 0 }) => dsTtl)),
      ...(signing ? { signing } : {}),
      ...(isMixed ? { isMixed } : {}),
    })),
  );
}

function signingOf(servers: readonly ZoneServerFacts[]): ObservedSigning | undefined {
  const all = servers.flatMap(({ signing }) => signing ?? []);
  const [first] = all;
  if (!first) return undefined;
  return {
    tags: first.tags.filter((tag) => all.every(({ tags }) => tags.includes(tag))),
    by: [...new Set(all.flatMap(({ by }) => by))].sort((a, b) => a - b),
    ttl: Math.max(...all.map(({ keysTtl }) => keysTtl)),
  };
}

/** Where servers are, by their names. */
export function addressesOf(servers: readonly ServerFacts[]): Readonly<Record<string, readonly string[]>> {
  const addresses = new Map<string, string[]>();
  for (const { server, address } of servers) {
    if (address === '') continue;
    const known = addresses.get(server);
    if (known) known.push(address);
    else addresses.set(server, [address]);
  }
  return Object.fromEntries(addresses);
}

const placesOf = ({ addresses }: ObservedName): string[] =>
  Object.entries(addresses)
    .flatMap(([server, own]) => own.map((address) => `${server} ${address}`))
    .sort();

/** Whether some place at which the zone was answered is one no more, although its name is. */
const hasMoved = (before: ObservedName, now: ObservedName): boolean => {
  const there = new Set(placesOf(now));
  return placesOf(before).some((place) => !there.has(place));
};

/**
 * For how long resolvers that verify may hold keys that what they meet is not signed with: seconds from when it changed;
 * 0 where they never do.
 * @param later every state after `before`, the next one first
 */
function keysHeldFor(before: ObservedName, later: readonly ObservedName[]): number {
  const [now] = later;
  if (!now) return 0;
  const { signers = [], dsTtl = 0, signing } = before;
  const lost = signers.filter((signer) => !(now.signers ?? []).includes(signer));
  // A DS is held on; it does harm where a zone is met meanwhile that has no such key.
  const whileHeld = later.filter(({ since }) => since < now.since + dsTtl * 1000);
  const isMissed = lost.some((signer) =>
    whileHeld.some((state) => !state.signing?.tags.includes(parseInt(signer, 10))),
  );
  // So are keys, where what is met is signed with others.
  const areOthers =
    signers.length > 0 &&
    (now.signers ?? []).length > 0 &&
    now.signing?.by.some((tag) => !signing?.tags.includes(tag)) === true;
  return Math.max(isMissed ? dsTtl : 0, areOthers ? (signing?.ttl ?? 0) : 0);
}

/** Whether one state is another than the one before, TTLs aside. */
const isOther = (before: ObservedName, now: ObservedName): boolean =>
  before.ns.join() !== now.ns.join() ||
  sayings(before.own) !== sayings(now.own) ||
  placesOf(before).join() !== placesOf(now).join() ||
  (before.signers ?? []).join() !== (now.signers ?? []).join() ||
  // Where it was not seen it is no change.
  (before.signing !== undefined &&
    now.signing !== undefined &&
    [before.signing.tags, before.signing.by].join(';') !== [now.signing.tags, now.signing.by].join(';'));

/** Oldest states go first; what they led to is held no more once as many changes were seen. */
const MAX_KEPT = 32;

const recordTtl = ({ own }: ObservedName): number => Math.max(0, ...own.map(({ ttl }) => ttl));

/** What is kept of a name, oldest first, with what is seen now. */
export function remember(
  kept: readonly ObservedName[],
  now: readonly ObservedName[],
): readonly ObservedName[] {
  const all = withState(kept, now);
  const { lingering, lingeredUntil, goneSince } = kept.at(-1) ?? {};
  return changeLast(all, (last) => ({
    ...last,
    ...(lingering === undefined ? {} : { lingering }),
    ...(lingeredUntil === undefined ? {} : { lingeredUntil }),
    ...(goneSince === undefined ? {} : { goneSince }),
  }));
}

const changeLast = (
  kept: readonly ObservedName[],
  change: (last: ObservedName) => ObservedName,
): readonly ObservedName[] => {
  const last = kept.at(-1);
  return last ? [...kept.slice(0, -1), change(last)] : kept;
};

/**
 * Keeps in mind what servers of before say: once they stop, it is held for as long as it was.
 * @param ttl of their old answers, seconds; undefined where they give none
 * @param now milliseconds since the epoch
 */
export const rememberOld = (
  kept: readonly ObservedName[],
  ttl: number | undefined,
  now: number,
): readonly ObservedName[] =>
  changeLast(kept, ({ lingering, lingeredUntil = 0, ...last }) => {
    if (ttl !== undefined) return { ...last, lingeredUntil, lingering: Math.max(lingering ?? 0, ttl) };
    return {
      ...last,
      lingeredUntil:
        lingering === undefined ? lingeredUntil : Math.max(lingeredUntil, now + lingering * 1000),
    };
  });

/**
 * Keeps in mind since when nobody of before answers any more; one that answers again begins it anew.
 * @param areGone of the servers of before that are asked; undefined where there are none
 */
export const rememberGone = (
  kept: readonly ObservedName[],
  areGone: boolean | undefined,
  now: number,
): readonly ObservedName[] =>
  changeLast(kept, ({ goneSince, ...last }) =>
    areGone === true ? { ...last, goneSince: goneSince ?? now } : last,
  );

/** Outcomes by which a server itself says that it has the zone no more; one that is silent may only be out of reach. */
export const isGone = ({ outcome, address }: ServerFacts): boolean =>
  outcome === 'refuses' || outcome === 'lame' || (outcome === 'unreachable' && !address.includes(':'));

function withState(kept: readonly ObservedName[], now: readonly ObservedName[]): readonly ObservedName[] {
  const [only] = now;
  if (!only) return kept;
  if (now.length > 1) {
    // As long as they differ it is the same that goes on.
    const others = kept.filter((each) => !(each.isMixed && now.some((state) => !isOther(each, state))));
    return [...others, ...now].slice(-MAX_KEPT);
  }
  const last = kept.at(-1);
  if (!last || last.isMixed || isOther(last, only)) return [...kept, only].slice(-MAX_KEPT);
  return [...kept.slice(0, -1), { ...only, since: last.since, held: heldAfter(last, only) }];
}

/** What was asked just before TTLs were lowered is held for as long as they were. */
function heldAfter(before: ObservedName, { since, ...now }: ObservedName): Held {
  const { record, delegation, address } = before.held ?? HELD_NOTHING;
  const hold = (was: number, is: number): number => (is < was ? since + was * 1000 : 0);
  return {
    record: Math.max(record, hold(heldFor(before), heldFor({ since, ...now }))),
    delegation: Math.max(delegation, hold(before.zoneNs, now.zoneNs), hold(before.parentNs, now.parentNs)),
    address: Math.max(address, hold(before.addressTtl ?? 0, now.addressTtl ?? 0)),
  };
}

/** For how long an answer is held, or that there was none. Seconds. */
const heldFor = (state: ObservedName): number => (state.own.length === 0 ? state.negative : recordTtl(state));

export interface Former {
  readonly before: ObservedName;
  readonly change: NameChange;
  /** When the change was complete at the latest: milliseconds since the epoch. */
  readonly changedAt: number;
  readonly ttls: Ttls;
  readonly negative: number;
  readonly held: Held;
  readonly goneSince?: number | undefined;
}

/** Every change of a name that was seen, oldest first. */
export function formersOf(kept: readonly ObservedName[]): Former[] {
  return kept.flatMap((before, number) => {
    // What some servers still say is over once all say something else.
    const now = kept.slice(number + 1).find(({ isMixed }) => !isMixed);
    return now ? changesBetween(before, now, keysHeldFor(before, kept.slice(number + 1))) : [];
  });
}

function changesBetween(before: ObservedName, now: ObservedName, keys: number): Former[] {
  const changes: NameChange[] = [
    ...(before.ns.join() !== now.ns.join()
      ? (['delegation'] as const)
      : hasMoved(before, now)
        ? (['servers'] as const)
        : []),
    ...(keys > 0 ? (['keys'] as const) : []),
    ...(sayings(before.own) === sayings(now.own)
      ? []
      : [before.own.length === 0 ? ('made' as const) : ('record' as const)]),
  ];
  return changes.map((change) => ({
    before,
    change,
    changedAt: now.since,
    ttls: {
      parentNs: before.parentNs,
      zoneNs: before.zoneNs,
      record: heldFor(before),
      address: before.addressTtl ?? 0,
      keys,
    },
    negative: before.negative,
    held: before.held ?? HELD_NOTHING,
  }));
}

/** How long a change is waited for. */
export const waitOf = ({ change, ttls, negative, ...moments }: Former): Wait =>
  decideWait(change, ttls, negative, moments);

/**
 * How long a name is waited for: the longest of all changes, and of what servers of before have said since.
 * @param links changes of the names that it leads on to, of whose servers of before nothing is known
 */
export function decideNameWait(
  formers: readonly Former[],
  kept: readonly ObservedName[],
  links: readonly Former[] = [],
): Wait | undefined {
  const goneSince = kept.at(-1)?.goneSince;
  const longest = longestOf([...formers.map((former) => ({ ...former, goneSince })), ...links]);
  const wait = longest && waitOf(longest);
  const { lingeredUntil = 0 } = kept.at(-1) ?? {};
  return lingeredUntil <= (wait?.until ?? 0)
    ? wait
    : {
        until: lingeredUntil,
        change: 'record',
        seconds: 0,
        because: 'servers of before gave the old answer until just now',
      };
}

/** Of several changes the one that is waited for longest: what came after it ends nothing. */
export const longestOf = (formers: readonly Former[]): Former | undefined =>
  formers.reduce<Former | undefined>(
    (longest, former) => (longest && waitOf(longest).until >= waitOf(former).until ? longest : former),
    undefined,
  );

/** Servers of before are asked for a month: resolvers that stay with them are started anew now and then. */
const ASKED_FOR_MS = 30 * 86_400_000;

/** Places at which the zone was answered before and is no more: addresses by server, as far as they are known. */
export function listFormerPlaces(
  formers: readonly Former[],
  { servers }: NameFacts,
  now: number,
): Readonly<Record<string, readonly string[]>> {
  const named = new Set(servers.map(({ server }) => server));
  const there = new Set(servers.map(({ server, address }) => `${server} ${address}`));
  const former = new Map<string, Set<string>>();
  for (const { before, change, changedAt } of formers) {
    if ((change !== 'delegation' && change !== 'servers') || changedAt < now - ASKED_FOR_MS) continue;
    for (const server of before.ns) {
      const addresses = ownValue(before.addresses, server) ?? [];
      const gone = addresses.filter((address) => !there.has(`${server} ${address}`));
      if (!named.has(server) || gone.length > 0)
        former.set(server, new Set([...(former.get(server) ?? []), ...gone]));
    }
  }
  return Object.fromEntries([...former].sort().map(([server, addresses]) => [server, [...addresses]]));
}
