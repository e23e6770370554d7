/** Whom names are asked of: every server from the root down, or a resolver. */
import { getServers } from 'node:dns';
import type { NameFacts, Reached, ZoneServerFacts } from '../core/dns/facts.js';
import { NAMES_PORT as PORT, parsePlace, type ServerPlace } from '../core/dns/server-place.js';
import { ROOTS } from './roots.js';
import { lookByResolver } from './by-resolver.js';
import { Questions } from './questions.js';
import { Walker } from './walk.js';

export interface NamesPlace {
  /** A resolver that is asked in place of all servers. */
  readonly resolver?: ServerPlace | undefined;
  /** The root of a private tree. */
  readonly root?: ServerPlace | undefined;
}

export interface Names {
  /** How many questions were asked, where something was not asked any more. */
  endedAfter(): number | undefined;
  look(name: string): Promise<NameFacts>;
  reach(name: string): Promise<Reached>;
  /** What a server says of a zone and a name, whether anybody names it or not; none where only a resolver is asked. */
  lookAt(
    server: string,
    zone: string,
    name: string,
    addresses?: readonly string[],
  ): Promise<readonly ZoneServerFacts[]>;
}

const ofResolver = (questions: Questions, place: ServerPlace, fallback?: string): Names => ({
  endedAfter: () => endOf(questions),
  look: (name) => lookByResolver(questions, place, name, fallback),
  reach: async (name) => (await lookByResolver(questions, place, name, fallback)).reached,
  lookAt: () => Promise.resolve([]),
});

const endOf = ({ isOver, count }: Questions): number | undefined => (isOver ? count : undefined);

/** Where port 53 is closed the resolver of the system is asked, and says so with every name. */
export async function openNames({ resolver, root }: NamesPlace): Promise<Names> {
  const questions = new Questions();
  if (resolver) return ofResolver(questions, resolver, `only the resolver ${resolver.address} was asked`);
  const walker = new Walker(root ? [root] : ROOTS.map((address) => ({ address, port: PORT })), questions);
  if (root || (await walker.canAsk()))
    return {
      endedAfter: () => endOf(questions),
      look: (name) => walker.look(name),
      reach: (name) => walker.reach(name),
      lookAt: (server, zone, name, addresses) => walker.lookAt(server, zone, name, addresses),
    };
  const [system] = getServers().flatMap((text) => parsePlace(text) ?? []);
  return ofResolver(
    questions,
    system ?? { address: '127.0.0.1', port: PORT },
    'port 53 is closed on the way to the root servers, so the resolver of this system was asked',
  );
}
