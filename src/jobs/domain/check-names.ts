/** What the name servers say of a site's names, beside what they should; and how long it takes to reach everybody. */
import { performance } from 'node:perf_hooks';
import { isWithin } from '../../core/dns/domain-name.js';
import type { NameFacts, Reached, ZoneServerFacts } from '../../core/dns/facts.js';
import type { CheckedName, CheckedNames } from '../../core/dns/checked-names.js';
import { NAME_RULES } from '../../core/dns/name-rules.js';
import { lookUpEnded } from '../../core/dns/rules/look-up-ended.js';
import { isOnTheWay, listOldAnswers, type NamingContext } from '../../core/dns/naming-context.js';
import { leadsThere, type RequiredRecords } from '../../core/dns/required-records.js';
import {
  addressesOf,
  formersOf,
  listFormerPlaces,
  longestOf,
  observe,
  remember,
  decideNameWait,
  isGone,
  rememberGone,
  rememberOld,
  type Former,
  type ObservedName,
} from '../../core/dns/observed-names.js';
import { HELD_NOTHING } from '../../core/dns/waiting.js';
import { NAMES_PORT } from '../../core/dns/server-place.js';
import { ownValue } from '../../core/words/own-value.js';
import type { Names, NamesPlace } from '../../dns/index.js';
import type { Progress } from '../progress.js';
import type { Project } from '../project/open-project.js';
import { askHost } from './ask-host.js';
import { readNamesMemory, writeNamesMemory } from './names-memory.js';
import { readZone, type GivenZone } from './read-zone.js';
import { listSiteNames, needsOf, registrable, zoneNamed } from './site-names.js';

export interface NamesInput {
  readonly name?: string | undefined;
  readonly zone?: string | undefined;
  readonly zoneFile?: string | undefined;
  /** Servers that were named for the zone before. */
  readonly was: readonly string[];
  readonly place: NamesPlace;
  /** Whether the bucket's host is asked under each name. */
  readonly askHosts: boolean;
}

/** TTL of records that are proposed. Seconds. */
const PROPOSED = 3600;

/** @throws FenestraError NAMES_NONE, NAMES_UNKNOWN, NAMES_NO_HOST, ZONE_UNREADABLE */
export async function checkNames(
  project: Project,
  input: NamesInput,
  progress: Progress,
): Promise<CheckedNames> {
  const began = performance.now();
  const site = listSiteNames(project, input.name);
  const given = input.zoneFile === undefined ? undefined : readZone(input.zoneFile, input.zone);
  const { openNames } = await import('../../dns/index.js');
  const all = [...site.domains, ...site.movedHosts];
  progress.step('look-up', { objects: all.length });
  const names = await openNames(input.place);
  const target = await names.reach(site.bucketHost);
  const memory = readNamesMemory(project.config.folder);
  let done = 0;
  const facts = await Promise.all(
    all.map(async (name) => {
      const found = await names.look(name);
      progress.advance(0, ++done);
      return found;
    }),
  );
  const zones = new Map(facts.map(({ name, zone }) => [name, zone === '' ? undefined : zone]));
  const byHand = zoneNamed(input.zone ?? given?.zone.apex);
  const needs = needsOf(
    site,
    target.addresses,
    PROPOSED,
    (name) => zones.get(name) ?? byHand(name),
    given?.zone,
  );
  const checked: CheckedName[] = [];
  for (const [number, need] of needs.entries()) {
    const met = facts[number];
    if (!met) continue;
    const endedAfter = names.endedAfter();
    const found = endedAfter === undefined ? met : { ...met, endedAfter };
    const before = memory.get(need.name) ?? [];
    // What is not whole is nothing to be remembered.
    const keep = (of: readonly ObservedName[], seen: NameFacts): readonly ObservedName[] =>
      endedAfter === undefined ? remember(of, observe(seen, Date.now())) : of;
    const kept = keep(before, found);
    const links: Former[] = [];
    for (const link of listLinks(found, site.bucketHost)) {
      const own = keep(memory.get(link) ?? [], await names.look(link));
      memory.set(link, own);
      links.push(...formersOf(own));
    }
    const remembered = (own: readonly ObservedName[]): void => void memory.set(need.name, own);
    checked.push(
      await checkName(project, input, names, {
        need,
        facts: found,
        target,
        seen: kept,
        links,
        given,
        remembered,
      }),
    );
  }
  writeNamesMemory(project.config.folder, memory);
  return {
    at: Date.now(),
    names: checked,
    target,
    bucketHost: site.bucketHost,
    seconds: (performance.now() - began) / 1000,
  };
}

/** Names on the way from a name to the bucket's host, which lead on by records of their own. */
const listLinks = ({ name, reached }: NameFacts, bucketHost: string): string[] => {
  const owners = [...new Set(reached.chain.map((record) => record.name))].filter((owner) => owner !== name);
  const end = owners.findIndex((owner) => isWithin(owner, bucketHost) || isWithin(bucketHost, owner));
  return end < 0 ? owners : owners.slice(0, end);
};

interface Subject {
  readonly need: RequiredRecords;
  readonly facts: NameFacts;
  readonly target: Reached;
  readonly seen: readonly ObservedName[];
  /** Told of what is to be kept of it. */
  readonly remembered: (kept: readonly ObservedName[]) => void;
  /** Changes of the names that it leads on to. */
  readonly links: readonly Former[];
  readonly given: GivenZone | undefined;
}

async function checkName(
  project: Project,
  input: NamesInput,
  names: Names,
  { need, facts, target, seen, links, given, remembered }: Subject,
): Promise<CheckedName> {
  const { destination } = project;
  const now = Date.now();
  const named = new Set(facts.servers.map(({ server }) => server));
  const awaited = await lookAtAll(
    names,
    destination.nameServers.filter((server) => !named.has(server)),
    facts,
  );
  const reaches = leadsToTarget(facts, need, target);
  const byHand = input.was.length > 0 ? await formerByHand(names, input.was, facts, seen) : undefined;
  const own = [...formersOf(seen), ...(byHand ? [byHand] : [])];
  const isMade = ({ change }: Former): boolean => change !== 'delegation' || reaches;
  const [ownMade, linksMade] = [own.filter(isMade), links.filter(isMade)];
  const former = longestOf([...ownMade, ...linksMade]);
  const formerServers = reaches ? await lookAtFormer(names, own, facts) : [];
  const oldAnswers = listOldAnswers({ formerServers, need, target });
  const kept = rememberGone(
    rememberOld(seen, oldAnswers.length > 0 ? oldestTtl(oldAnswers) : undefined, now),
    formerServers.length > 0 ? formerServers.every(isGone) : undefined,
    now,
  );
  remembered(kept);
  const wait = reaches ? decideNameWait(ownMade, kept, linksMade) : undefined;
  const [address] = facts.reached.addresses;
  const host =
    input.askHosts && reaches && address !== undefined && !isPlayed(input.place, address)
      ? await askHost(project, need, address)
      : undefined;
  const isInZone = given && isWithin(need.name, given.zone.apex);
  const [only, ...others] = kept;
  const held = only && Math.max(only.parentNs, only.zoneNs) + Math.max(0, ...only.own.map(({ ttl }) => ttl));
  const context: NamingContext = {
    lookedFirst:
      reaches && !former && only && others.length === 0 && now - only.since < (held ?? 0) * 1000
        ? held
        : undefined,
    facts,
    need,
    registered: registrable(need.name),
    target,
    nameServers: destination.nameServers,
    awaited,
    former,
    formerServers,
    wait,
    now,
    wantsCertificate: destination.front?.https ?? false,
    zoneFile: isInZone ? { path: given.path, faults: given.zone.faults } : undefined,
    host,
  };
  return {
    need,
    facts,
    former,
    formerServers,
    awaited,
    reaches,
    wait: wait && wait.until > now ? wait : undefined,
    oldAnswers: oldAnswers.length > 0,
    // Of what was not asked nothing can be said.
    findings: (facts.endedAfter === undefined ? NAME_RULES : [lookUpEnded]).flatMap((rule) => [
      ...rule.inspect(context),
    ]),
  };
}

/** Whether a move is only played on this machine: no site is at the usual port there. */
const isPlayed = ({ resolver }: NamesPlace, address: string): boolean =>
  resolver !== undefined && resolver.port !== NAMES_PORT && address.startsWith('127.');

/** What is said at places at which the zone was answered before and is no more. */
async function lookAtFormer(
  names: Names,
  formers: readonly Former[],
  facts: NameFacts,
): Promise<ZoneServerFacts[]> {
  const former = listFormerPlaces(formers, facts, Date.now());
  return lookAtAll(names, Object.keys(former), facts, former);
}

const oldestTtl = (servers: readonly ZoneServerFacts[]): number =>
  Math.max(0, ...servers.flatMap(({ own }) => own.map(({ ttl }) => ttl)));

const lookAtAll = async (
  names: Names,
  servers: readonly string[],
  { zone, name }: NameFacts,
  addresses: Readonly<Record<string, readonly string[]>> = {},
): Promise<ZoneServerFacts[]> =>
  zone === ''
    ? []
    : (
        await Promise.all(
          servers.map((server) => names.lookAt(server, zone, name, ownValue(addresses, server))),
        )
      ).flat();

/** Every server that answers, and the way that a visitor goes. */
function leadsToTarget(facts: NameFacts, need: RequiredRecords, target: Reached): boolean {
  const { addresses } = facts.reached;
  const comes = addresses.length > 0 && addresses.every((address) => target.addresses.includes(address));
  if (facts.via === 'resolver') return comes;
  const answering = facts.servers.filter(({ outcome }) => outcome === 'answers');
  return (
    answering.length > 0 &&
    answering.every(
      ({ own }) => leadsThere(own, need, target.addresses) || isOnTheWay(own, facts.reached, target),
    )
  );
}

/** What servers of before still say; from when the present state was seen first. */
async function formerByHand(
  names: Names,
  was: readonly string[],
  facts: NameFacts,
  kept: readonly ObservedName[],
): Promise<Former | undefined> {
  const servers = await lookAtAll(names, was, facts);
  const answering = servers.filter(({ outcome }) => outcome === 'answers');
  const [first] = answering;
  const parentNs = Math.max(0, ...facts.parents.map(({ nsTtl }) => nsTtl));
  const zoneNs = Math.max(0, ...answering.map(({ nsTtl }) => nsTtl));
  const negative = Math.max(0, ...servers.map((server) => server.negative ?? 0));
  const record = Math.max(0, ...answering.flatMap(({ own }) => own.map(({ ttl }) => ttl)));
  const changedAt = kept.at(-1)?.since ?? Date.now();
  const before: ObservedName = {
    since: 0,
    ns: [...was].sort(),
    addresses: addressesOf(servers),
    parentNs,
    zoneNs,
    negative,
    own: first?.own ?? [],
  };
  return {
    before,
    change: 'delegation',
    changedAt,
    ttls: { parentNs, zoneNs, record: first ? record : negative },
    negative,
    held: HELD_NOTHING,
  };
}
