/** Following the delegation of a name from the root down, and asking every server that has a say in it. */
import { createHash } from 'node:crypto';
import { isWithin, parentOf } from '../core/naming/domain-name.js';
import type { NameFacts, Outcome, ParentFacts, Reached, ZoneServerFacts } from '../core/naming/facts.js';
import { ofType, targetOf, type NameRecord } from '../core/naming/record.js';
import { negativeTtl } from '../core/naming/waiting.js';
import { NAMES_PORT as PORT, type ServerPlace } from '../core/naming/server-place.js';
import { askServer, type Asked } from './ask-server.js';
import type { AskedType, Message } from './message.js';

/** Servers of a zone that are asked, links that are followed, and how deep names of servers lead to others. */
const MOST_SERVERS = 26;
const MOST_LINKS = 12;
const MOST_DEPTH = 8;

interface NamedServer extends ServerPlace {
  readonly server: string;
}

interface Cut {
  readonly zone: string;
  readonly servers: readonly NamedServer[];
  readonly parentZone: string;
  readonly parents: readonly NamedServer[];
}

export class Walker {
  readonly #root: Cut;
  readonly #cuts = new Map<string, Promise<Cut>>();

  /** @param roots where the root is answered */
  constructor(roots: readonly ServerPlace[]) {
    const servers = roots.map((place) => ({ ...place, server: '.' }));
    this.#root = { zone: '', servers, parentZone: '', parents: [] };
  }

  /** Whether anybody answers for the root: a few are asked at once, since silence takes long. */
  async canAsk(): Promise<boolean> {
    const few = this.#root.servers.slice(0, 4);
    const asked = await Promise.all(few.map((place) => askServer(place, { name: '', type: 'NS' })));
    return asked.some((each) => 'message' in each);
  }

  /** What all servers say. */
  async look(name: string): Promise<NameFacts> {
    const cut = await this.#cutOf(name);
    const { zone, parentZone } = cut;
    const parents = await Promise.all(cut.parents.map((server) => lookAtParent(server, zone)));
    const byParent = new Set(parents.flatMap(({ ns }) => ns));
    const glue = parents.flatMap((parent) => parent.glue);
    const known = new Map<string, ZoneServerFacts[]>();
    const lookAtAll = async (names: Iterable<string>, listedBy: 'parent' | 'zone'): Promise<void> => {
      await Promise.all(
        [...names].map(async (server) => {
          const places = await this.#placesOf(server, glue, parentZone, 0);
          known.set(
            server,
            places.length === 0
              ? [nowhere(server, listedBy)]
              : await Promise.all(
                  places.map((place) => lookAtServer({ ...place, server }, zone, name, listedBy)),
                ),
          );
        }),
      );
    };
    await lookAtAll([...byParent].slice(0, MOST_SERVERS), 'parent');
    const inZone = new Set([...known.values()].flat().flatMap(({ ns }) => ns));
    await lookAtAll([...inZone].filter((server) => !byParent.has(server)).slice(0, MOST_SERVERS), 'zone');
    const servers = [...known.values()]
      .flat()
      .map((facts) =>
        byParent.has(facts.server) && inZone.has(facts.server)
          ? { ...facts, listedBy: 'both' as const }
          : facts,
      )
      .sort((a, b) => (a.server < b.server ? -1 : a.server > b.server ? 1 : 0));
    const serverAddresses: Record<string, readonly string[]> = {};
    for (const server of byParent)
      if (isWithin(server, parentZone) && glue.some(({ name: owner }) => owner === server))
        serverAddresses[server] = (await this.reach(server, 'A')).addresses;
    return {
      name,
      via: 'delegation',
      zone,
      parentZone,
      parents,
      servers,
      reached: await this.reach(name),
      serverAddresses,
    };
  }

  /** What a server says, whether it is named for the zone or not. @param addresses where it is, where that is known */
  async lookAt(
    server: string,
    zone: string,
    name: string,
    addresses: readonly string[] = [],
  ): Promise<ZoneServerFacts[]> {
    const places =
      addresses.length > 0
        ? addresses.map((address) => ({ address, port: PORT }))
        : await this.#placesOf(server, [], '', 0);
    return places.length === 0
      ? [nowhere(server, 'zone')]
      : Promise.all(places.map((place) => lookAtServer({ ...place, server }, zone, name, 'zone')));
  }

  /** What a visitor's resolver comes to. */
  async reach(name: string, type: 'A' | 'both' = 'both', depth = 0): Promise<Reached> {
    const chain: NameRecord[] = [];
    let at = name;
    for (let link = 0; link < MOST_LINKS; link++) {
      const { servers } = await this.#cutOf(at, depth);
      const message = await askAny(servers, at, 'A');
      if (!message) return { chain, addresses: [], trouble: 'no-answer' };
      const own = message.answers.filter((record) => record.name === at);
      const [alias] = ofType(own, 'CNAME');
      if (!alias) {
        const more = type === 'A' ? undefined : await askAny(servers, at, 'AAAA');
        const found = [...own, ...(more?.answers ?? []).filter((record) => record.name === at)].filter(
          (record) => record.type === 'A' || record.type === 'AAAA',
        );
        chain.push(...found);
        const addresses = found.map(({ data }) => data);
        return addresses.length > 0
          ? { chain, addresses }
          : { chain, addresses, trouble: link === 0 ? 'missing' : 'dangling' };
      }
      chain.push(alias);
      at = targetOf(alias);
      if (chain.some((record) => record.name === at)) return { chain, addresses: [], trouble: 'loop' };
    }
    return { chain, addresses: [], trouble: 'too-long' };
  }

  /** The zone that a name is in, and its parent. */
  #cutOf(name: string, depth = 0): Promise<Cut> {
    const known = this.#cuts.get(name);
    if (known) return known;
    const found = this.#findCut(name, depth);
    this.#cuts.set(name, found);
    return found;
  }

  async #findCut(name: string, depth: number): Promise<Cut> {
    if (name === '' || depth > MOST_DEPTH) return this.#root;
    const above = await this.#cutOf(parentOf(name), depth);
    const message = await askAny(above.servers, name, 'NS');
    const records = [...(message?.answers ?? []), ...(message?.authorities ?? [])];
    const ns = ofType(records, 'NS').filter((record) => record.name === name);
    if (!message || ns.length === 0) return above;
    const names = [...new Set(ns.map(targetOf))].slice(0, MOST_SERVERS);
    const places = await Promise.all(
      names.map(async (server) =>
        (await this.#placesOf(server, message.additionals, above.zone, depth + 1)).map((place) => ({
          ...place,
          server,
        })),
      ),
    );
    return { zone: name, servers: places.flat(), parentZone: above.zone, parents: above.servers };
  }

  /** Where a server is: glue counts only within the zone that gave it. */
  async #placesOf(
    server: string,
    glue: readonly NameRecord[],
    zone: string,
    depth: number,
  ): Promise<ServerPlace[]> {
    const given = isWithin(server, zone)
      ? glue.filter((record) => record.name === server && (record.type === 'A' || record.type === 'AAAA'))
      : [];
    let addresses = [...new Set(given.map(({ data }) => data))];
    if (addresses.length === 0 && depth <= MOST_DEPTH)
      addresses = [...(await this.reach(server, 'A', depth + 1)).addresses];
    const four = addresses.filter((address) => !address.includes(':'));
    return (four.length > 0 ? four : addresses).map((address) => ({ address, port: PORT }));
  }
}

/** The first that says anything of use; servers that refuse or are silent are passed over. */
async function askAny(
  servers: readonly ServerPlace[],
  name: string,
  type: AskedType,
): Promise<Message | undefined> {
  for (const place of servers) {
    const asked = await askServer(place, { name, type });
    if ('message' in asked && (asked.message.rcode === 'NOERROR' || asked.message.rcode === 'NXDOMAIN'))
      return asked.message;
  }
  return undefined;
}

function outcomeOf(asked: Asked): Outcome {
  if ('silence' in asked) return asked.silence;
  const { rcode, isAuthoritative } = asked.message;
  if (rcode === 'REFUSED') return 'refuses';
  if (rcode !== 'NOERROR' && rcode !== 'NXDOMAIN') return 'fails';
  return isAuthoritative ? 'answers' : 'lame';
}

async function lookAtParent(server: NamedServer, zone: string): Promise<ParentFacts> {
  const [asked, signed] = await Promise.all([
    askServer(server, { name: zone, type: 'NS' }),
    askServer(server, { name: zone, type: 'DS' }),
  ]);
  const message = 'message' in asked ? asked.message : undefined;
  const records = message ? [...message.answers, ...message.authorities] : [];
  const ns = ofType(records, 'NS').filter(({ name }) => name === zone);
  const outcome = outcomeOf(asked);
  return {
    server: server.server,
    address: server.address,
    // A referral is no authoritative answer, and just what a parent is to give.
    outcome: outcome === 'lame' && ns.length > 0 ? 'answers' : outcome,
    ns: [...new Set(ns.map(targetOf))].sort(),
    nsTtl: Math.max(0, ...ns.map(({ ttl }) => ttl)),
    glue: (message?.additionals ?? []).filter(({ type }) => type === 'A' || type === 'AAAA'),
    ds: 'message' in signed && ofType(signed.message.answers, 'DS').length > 0,
  };
}

const nowhere = (server: string, listedBy: 'parent' | 'zone'): ZoneServerFacts => ({
  server,
  address: '',
  outcome: 'nowhere',
  listedBy,
  ns: [],
  nsTtl: 0,
  own: [],
  wild: [],
  caa: [],
  keys: false,
});

/** A name in a zone that nobody has made; the same each time, so that resolvers are not filled with others. */
const strayName = (zone: string): string =>
  `fenestra-${createHash('sha256').update(zone).digest('hex').slice(0, 12)}.${zone}`;

const LOOKED_AT = ['A', 'AAAA', 'CNAME', 'HTTPS'] as const;

async function lookAtServer(
  place: NamedServer,
  zone: string,
  name: string,
  listedBy: 'parent' | 'zone',
): Promise<ZoneServerFacts> {
  const none = { ...nowhere(place.server, listedBy), address: place.address };
  const first = await askServer(place, { name: zone, type: 'SOA' });
  const outcome = outcomeOf(first);
  if (outcome !== 'answers' || !('message' in first)) return { ...none, outcome };
  const ask = async (asked: string, type: AskedType): Promise<readonly NameRecord[]> => {
    const answer = await askServer(place, { name: asked, type });
    // Only what the asked name itself owns: servers differ in whether they go on from there.
    return 'message' in answer ? answer.message.answers.filter((record) => record.name === asked) : [];
  };
  const [ns, keys, caaOwn, caaZone, wild, ...own] = await Promise.all([
    ask(zone, 'NS'),
    ask(zone, 'DNSKEY'),
    ask(name, 'CAA'),
    ask(zone, 'CAA'),
    ask(strayName(zone), 'A'),
    ...LOOKED_AT.map((type) => ask(name, type)),
  ]);
  const [soa] = ofType(first.message.answers, 'SOA');
  const numbers = soa?.data.split(' ') ?? [];
  const found = new Map(own.flat().map((record) => [`${record.type} ${record.data}`, record]));
  const caa = ofType(caaOwn, 'CAA');
  return {
    ...none,
    outcome,
    ...(soa ? { serial: Number(numbers[2]), negative: negativeTtl(soa.ttl, Number(numbers[6])) } : {}),
    ns: [...new Set(ofType(ns, 'NS').map(targetOf))].sort(),
    nsTtl: Math.max(0, ...ofType(ns, 'NS').map(({ ttl }) => ttl)),
    own: [...found.values()],
    wild,
    caa: caa.length > 0 ? caa : ofType(caaZone, 'CAA'),
    keys: ofType(keys, 'DNSKEY').length > 0,
  };
}

/** What a resolver says of a name: neither which servers there are nor whether they agree. */
export async function lookByResolver(
  place: ServerPlace,
  name: string,
  fallback: string | undefined,
): Promise<NameFacts> {
  const answers = await Promise.all(
    (['A', 'AAAA'] as const).map((type) => askServer(place, { name, type, recursive: true })),
  );
  const messages = answers.flatMap((asked) => ('message' in asked ? asked.message : []));
  const chain: NameRecord[] = [];
  for (const { answers: records } of messages)
    for (const record of records)
      if (!chain.some(({ name: owner, data }) => owner === record.name && data === record.data))
        chain.push(record);
  const addresses = chain.flatMap(({ type, data }) => (type === 'A' || type === 'AAAA' ? data : []));
  const isSilent = messages.every(({ rcode }) => rcode !== 'NOERROR' && rcode !== 'NXDOMAIN');
  return {
    name,
    via: 'resolver',
    ...(fallback === undefined ? {} : { fallback }),
    zone: '',
    parentZone: '',
    parents: [],
    servers: [],
    reached: {
      chain,
      addresses,
      ...(addresses.length > 0
        ? {}
        : {
            trouble: isSilent
              ? ('no-answer' as const)
              : chain.length > 0
                ? ('dangling' as const)
                : ('missing' as const),
          }),
    },
    serverAddresses: {},
  };
}
