/** Whom names are asked of: every server from the root down, or a resolver. */
import { getServers } from 'node:dns';
import { isIP } from 'node:net';
import type { NameFacts, Reached, ZoneServerFacts } from '../core/naming/facts.js';
import type { ServerPlace } from './ask-server.js';
import { ROOTS } from './roots.js';
import { lookByResolver, Walker } from './walk.js';

const PORT = 53;

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

/** `192.0.2.1`, `192.0.2.1:5353` or `[2001:db8::1]:53`; undefined where it is no such place. */
export function parsePlace(text: string): ServerPlace | undefined {
  const [, six, four, port = String(PORT)] =
    /^(?:\[([0-9a-f:.]+)\]|([0-9.]+))(?::(\d{1,5}))?$/i.exec(text) ?? [];
  const address = six ?? four ?? (isIP(text) === 6 ? text : '');
  return isIP(address) === 0 || Number(port) < 1 || Number(port) > 65_535
    ? undefined
    : { address, port: Number(port) };
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
