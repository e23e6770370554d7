/** Whom names are asked of: every server from the root down, or a resolver. */
import { getServers } from 'node:dns';
import type { NameFacts, Reached, ZoneServerFacts } from '../core/naming/facts.js';
import { NAMES_PORT as PORT, parsePlace, type ServerPlace } from '../core/naming/server-place.js';
import { ROOTS } from './roots.js';
import { lookByResolver } from './by-resolver.js';
import { Walker } from './walk.js';

export interface NamesPlace {
  /** A resolver that is asked in place of all servers. */
  readonly resolver?: ServerPlace | undefined;
  /** The root of a private tree. */
  readonly root?: ServerPlace | undefined;
}

export interface Names {
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

const ofResolver = (place: ServerPlace, fallback?: string): Names => ({
  look: (name) => lookByResolver(place, name, fallback),
  reach: async (name) => (await lookByResolver(place, name, fallback)).reached,
  lookAt: () => Promise.resolve([]),
});

/** Where port 53 is closed the resolver of the system is asked, and says so with every name. */
export async function openNames({ resolver, root }: NamesPlace): Promise<Names> {
  if (resolver) return ofResolver(resolver, `only the resolver ${resolver.address} was asked`);
  const walker = new Walker(root ? [root] : ROOTS.map((address) => ({ address, port: PORT })));
  if (root || (await walker.canAsk()))
    return {
      look: (name) => walker.look(name),
      reach: (name) => walker.reach(name),
      lookAt: (server, zone, name, addresses) => walker.lookAt(server, zone, name, addresses),
    };
  const [system] = getServers().flatMap((text) => parsePlace(text) ?? []);
  return ofResolver(
    system ?? { address: '127.0.0.1', port: PORT },
    'port 53 is closed on the way to the root servers, so the resolver of this system was asked',
  );
}
