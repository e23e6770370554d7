/** What the names of a site need, and when to do what before a move. */
import { compareZone, completeZone, listZoneTasks, renderZone } from '../../core/dns/complete-zone.js';
import type { ListedRecords } from '../../core/dns/listed-records.js';
import type { RequiredRecords } from '../../core/dns/required-records.js';
import { ofType, targetOf } from '../../core/dns/record.js';
import { planMove, type Ttls } from '../../core/dns/waiting.js';
import type { NamesPlace } from '../../dns/index.js';
import type { Project } from '../project/open-project.js';
import { readNamesMemory } from './names-memory.js';
import { readZone } from './read-zone.js';
import { listSiteNames, needsOf, zoneNamed } from './site-names.js';

export interface RecordsInput {
  readonly name?: string | undefined;
  readonly zone?: string | undefined;
  readonly zoneFile?: string | undefined;
  /** Seconds. */
  readonly ttl: number;
  /** When the parent is to be changed: milliseconds since the epoch. */
  readonly movingOn?: number | undefined;
  readonly place: NamesPlace;
}

/** TTLs as registries and providers often have them, where none were seen. Seconds. */
const USUAL: Ttls = { parentNs: 86_400, zoneNs: 86_400, record: 3600 };

/** @throws FenestraError NAMES_NONE, NAMES_UNKNOWN, NAMES_NO_HOST, ZONE_UNREADABLE */
export async function listRecords(project: Project, input: RecordsInput): Promise<ListedRecords> {
  const names = listSiteNames(project, input.name);
  const { openNames } = await import('../../dns/index.js');
  const { addresses } = await (await openNames(input.place)).reach(names.bucketHost);
  const given = input.zoneFile === undefined ? undefined : readZone(input.zoneFile, input.zone);
  const apex = given?.zone.apex ?? input.zone;
  const needs = needsOf(names, addresses, input.ttl, zoneNamed(apex), given?.zone);
  const zones = new Map<string, string>();
  const nameServers = new Map<string, readonly string[]>();
  for (const zone of new Set(needs.map((need) => need.zone))) {
    const ofZone = given?.zone.apex === zone ? given : undefined;
    zones.set(
      zone,
      ofZone
        ? completeZone(ofZone.text, ofZone.zone, needs, Date.now()).text
        : renderZone(zone, needs, input.ttl),
    );
    const written = ofType(ofZone?.zone.records ?? [], 'NS').filter(({ name }) => name === zone);
    const { nameServers: named } = project.destination;
    nameServers.set(zone, named.length > 0 ? named : written.map(targetOf));
  }
  const ttls = input.movingOn === undefined ? undefined : readTtls(project, needs);
  return {
    bucketHost: names.bucketHost,
    addresses,
    needs,
    nameServers: Object.fromEntries(nameServers),
    zones: Object.fromEntries(zones),
    changes: given ? compareZone(given.zone, needs) : [],
    faults: given ? [...given.zone.faults, ...listZoneTasks(given.zone, needs)] : [],
    plan: input.movingOn === undefined || !ttls ? [] : planMove(input.movingOn, ttls),
    ...(ttls ? { ttls } : {}),
  };
}

/** The largest that were seen of any of the names. */
function readTtls(project: Project, needs: readonly RequiredRecords[]): Ttls & { seen: boolean } {
  const memory = readNamesMemory(project.config.folder);
  const seen = needs.flatMap(({ name }) => memory.get(name)?.at(-1) ?? []);
  if (seen.length === 0) return { ...USUAL, seen: false };
  const most = (of: (one: (typeof seen)[number]) => number): number => Math.max(...seen.map(of));
  return {
    parentNs: most(({ parentNs }) => parentNs),
    zoneNs: most(({ zoneNs }) => zoneNs),
    record: most(({ own, negative }) =>
      own.length === 0 ? negative : Math.max(...own.map(({ ttl }) => ttl)),
    ),
    ...(seen.some(({ signers = [] }) => signers.length > 0) ? { keys: most(({ dsTtl = 0 }) => dsTtl) } : {}),
    seen: true,
  };
}
