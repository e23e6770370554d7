/** A move of the site's names, played on this machine with a clock that runs faster. */
import { isWithin } from '../../core/dns/domain-name.js';
import {
  PlayedResolver,
  playMove,
  type Move,
  type OldZone,
  type PlayedMove,
  type RehearsalEvent,
  type ShownRehearsal,
} from '../../core/dns/rehearse-move.js';
import { secondsToWait, type Ttls } from '../../core/dns/waiting.js';
import type { NameAnswer } from '../../dns/index.js';
import type { Project } from '../project/open-project.js';
import { readNamesMemory } from './names-memory.js';

export interface RehearsalInput {
  readonly host: string;
  readonly port: number;
  /** How many seconds of the move pass in one. */
  readonly speed: number;
  readonly oldZone: OldZone;
  /** Told when the played clock passes something. */
  readonly onEvent: (event: RehearsalEvent) => void;
}

export interface Rehearsal extends ShownRehearsal {
  close(): Promise<void>;
}

/** Where the old place and the new one are on this machine. */
export const PLACES = { old: '127.0.0.2', new: '127.0.0.1' } as const;

const USUAL: Ttls = { parentNs: 86_400, zoneNs: 86_400, record: 3600 };
const VISITORS = 24;
/** Real seconds before the move. */
const LOOK = 5;
const SEED = 20_261_126;

/** The largest that were seen of a name before its last change, or of what there is now. */
function readTtls(project: Project, names: readonly string[]): Ttls | undefined {
  const memory = readNamesMemory(project.config.folder);
  const seen = names.flatMap((name) => memory.get(name)?.at(-1) ?? []);
  if (seen.length === 0) return undefined;
  return {
    parentNs: Math.max(1, ...seen.map(({ parentNs }) => parentNs)),
    zoneNs: Math.max(1, ...seen.map(({ zoneNs }) => zoneNs)),
    record: Math.max(1, ...seen.flatMap(({ own }) => own.map(({ ttl }) => ttl))),
  };
}

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function rehearseNames(project: Project, input: RehearsalInput): Promise<Rehearsal> {
  const { destination } = project;
  const { domains, movedHosts } = destination.settings;
  const names = [...domains, ...(movedHosts?.hosts ?? [])];
  const seen = readTtls(project, names);
  const ttls = seen ?? USUAL;
  const between = Math.max(1, Math.min(ttls.record, ttls.parentNs) / 3);
  const wait = secondsToWait('delegation', ttls, 0);
  const move: Move = {
    // Long enough before the move for every resolver to hold what is there, and for people to look.
    at: Math.ceil(Math.max(between * 2, ttls.record / 2, Math.min(wait / 2, LOOK * input.speed))),
    ttls,
    newRecord: ttls.record,
    oldZone: input.oldZone,
  };
  const played = playMove(move, VISITORS, between, SEED);
  const own = new PlayedResolver(move, 'parent');
  const began = performance.now();
  const now = (): number => ((performance.now() - began) / 1000) * input.speed;
  const leadTo = (name: string, type: string, data: string, ttl: number): NameAnswer => ({
    rcode: 'NOERROR',
    records: type === 'A' ? [{ name, type, ttl: Math.ceil(ttl / input.speed), data }] : [],
  });
  const { answerNames } = await import('../../dns/index.js');
  const answering = await answerNames(input.host, input.port, (name, type) => {
    // The bucket's host is the new place, and stays where it is.
    if (name === destination.bucketHost) return leadTo(name, type, PLACES.new, ttls.record);
    if (!names.some((each) => isWithin(name, each))) return { rcode: 'REFUSED', records: [] };
    if (!names.includes(name)) return { rcode: 'NXDOMAIN', records: [] };
    const { place, ttl } = own.ask(now());
    if (place === 'failure') return { rcode: 'SERVFAIL', records: [] };
    return leadTo(name, type, PLACES[place], ttl);
  });
  const timers = listEvents(played).map((event) => {
    const timer = setTimeout(() => input.onEvent(event), (event.at / input.speed) * 1000);
    timer.unref();
    return timer;
  });
  return {
    port: answering.port,
    names,
    played,
    isSeen: seen !== undefined,
    async close() {
      timers.forEach(clearTimeout);
      await answering.close();
    },
  };
}

function listEvents({ move, visitors, bound }: PlayedMove): RehearsalEvent[] {
  const moved = visitors
    .flatMap(({ movedAt }) => movedAt ?? [])
    .sort((a, b) => a - b)
    .map((at, number) => ({ kind: 'visitor-moved' as const, at, moved: number + 1, of: visitors.length }));
  return [
    { kind: 'parent-changed' as const, at: move.at },
    ...moved,
    { kind: 'bound' as const, at: bound },
  ].sort((a, b) => a.at - b.at);
}
