/** What was seen of a name before: after a move nothing shows any more what there was, and for how long it is held. */
import type { NameFacts, ServerFacts } from './facts.js';
import { sayings, type NameRecord } from './record.js';
import type { NameChange, Ttls } from './waiting.js';

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
  /** Until when resolvers may hold what had longer TTLs, which were lowered since: milliseconds since the epoch. */
  readonly heldUntil?: number;
}

/** Of a delegation that is the same at all servers; undefined where it is under way or not known. */
export function observe(facts: NameFacts, at: number): ObservedName | undefined {
  const answering = facts.servers.filter(({ outcome }) => outcome === 'answers');
  const [parent] = facts.parents.filter(({ ns }) => ns.length > 0);
  const [first] = answering;
  if (!parent || !first) return undefined;
  const isOne =
    facts.parents.every(({ ns, outcome }) => outcome !== 'answers' || ns.join() === parent.ns.join()) &&
    answering.every(({ own }) => sayings(own) === sayings(first.own));
  if (!isOne) return undefined;
  return {
    since: at,
    ns: parent.ns,
    addresses: addressesOf(facts.servers),
    parentNs: Math.max(...facts.parents.map(({ nsTtl }) => nsTtl)),
    zoneNs: Math.max(...answering.map(({ nsTtl }) => nsTtl)),
    negative: Math.max(...answering.map(({ negative = 0 }) => negative)),
    own: first.own,
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

/** What makes one state another than the one before, TTLs aside. */
const stateOf = ({ ns, own }: ObservedName): string => `${ns.join()}\n${sayings(own)}`;

const MAX_KEPT = 8;

const recordTtl = ({ own }: ObservedName): number => Math.max(0, ...own.map(({ ttl }) => ttl));

/** What is kept of a name, oldest first, with what is seen now. */
export function remember(
  kept: readonly ObservedName[],
  now: ObservedName | undefined,
): readonly ObservedName[] {
  const last = kept.at(-1);
  if (!now) return kept;
  if (!last || stateOf(last) !== stateOf(now)) return [...kept, now].slice(-MAX_KEPT);
  const longer = Math.max(recordTtl(last), last.zoneNs);
  // What was asked just before TTLs were lowered is held for as long as they were, and leads to one more record.
  const isLowered = recordTtl(now) < recordTtl(last) || now.zoneNs < last.zoneNs;
  const heldUntil = Math.max(
    last.heldUntil ?? 0,
    isLowered ? now.since + (longer + recordTtl(now)) * 1000 : 0,
  );
  return [...kept.slice(0, -1), { ...now, since: last.since, ...(heldUntil > 0 ? { heldUntil } : {}) }];
}

export interface Former {
  readonly before: ObservedName;
  readonly change: NameChange;
  /** When the change was complete at the latest: milliseconds since the epoch. */
  readonly changedAt: number;
  readonly ttls: Ttls;
  readonly negative: number;
  readonly heldUntil: number;
}

/** The last change of a name; undefined where none was seen. */
export function formerOf(kept: readonly ObservedName[]): Former | undefined {
  const [before, now] = kept.slice(-2);
  if (!before || !now) return undefined;
  const change =
    before.ns.join() !== now.ns.join() ? 'delegation' : before.own.length === 0 ? 'made' : 'record';
  return {
    before,
    change,
    changedAt: now.since,
    ttls: {
      parentNs: before.parentNs,
      zoneNs: before.zoneNs,
      // Where there was no record, it is remembered that there was none.
      record: before.own.length === 0 ? before.negative : recordTtl(before),
    },
    negative: before.negative,
    heldUntil: before.heldUntil ?? 0,
  };
}
