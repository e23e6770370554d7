/** Following the delegation of a name from the root down, and asking every server that has a say in it. */
import type { NameFacts, Reached, ZoneServerFacts } from '../core/dns/facts.js';
import { NAMES_PORT as PORT, type ServerPlace } from '../core/dns/server-place.js';
import { Cuts, MAX_SERVERS } from './cuts.js';
import type { Questions } from './questions.js';
import { lookAtParent, lookAtServer, nowhere } from './look-at-server.js';
import type { WireRecord } from './wire.js';

/** Servers whose own addresses are looked at beside what the parent says of them. */
const MAX_ADDRESSED = 8;

export class Walker {
  readonly #roots: readonly ServerPlace[];
  readonly #cuts: Cuts;
  readonly #questions: Questions;
  /** DS records of zones that were looked at. */
  readonly #signers = new Map<string, readonly WireRecord[]>();

  /** @param roots where the root is answered */
  constructor(roots: readonly ServerPlace[], questions: Questions) {
    this.#roots = roots;
    this.#questions = questions;
    this.#cuts = new Cuts(roots, questions);
  }

  /** Whether anybody answers for the root: a few are asked at once, since silence takes long. */
  async canAsk(): Promise<boolean> {
    const few = this.#roots.slice(0, 4);
    const asked = await Promise.all(few.map((place) => this.#questions.ask(place, { name: '', type: 'NS' })));
    return asked.some((each) => 'message' in each);
  }

  /** What all servers say. */
  async look(name: string): Promise<NameFacts> {
    const cut = await this.#cuts.of(name);
    const { zone, parentZone } = cut;
    const above = await Promise.all(cut.parents.map((server) => lookAtParent(this.#questions, server, zone)));
    const parents = above.map(({ facts }) => facts);
    const signers = above.flatMap((each) => each.signers);
    this.#signers.set(zone, signers);
    const byParent = new Set(parents.flatMap(({ ns }) => ns));
    const glue = parents.flatMap((parent) => parent.glue);
    const known = new Map<string, ZoneServerFacts[]>();
    const lookAtAll = async (names: Iterable<string>, listedBy: 'parent' | 'zone'): Promise<void> => {
      await Promise.all(
        [...names].map(async (server) => {
          const places = await this.#cuts.placesOf(server, glue, parentZone);
          known.set(
            server,
            places.length === 0
              ? [nowhere(server, listedBy)]
              : await Promise.all(
                  places.map((place) =>
                    lookAtServer(this.#questions, { ...place, server }, { zone, name, listedBy, signers }),
                  ),
                ),
          );
        }),
      );
    };
    await lookAtAll([...byParent].slice(0, MAX_SERVERS), 'parent');
    const inZone = new Set([...known.values()].flat().flatMap(({ ns }) => ns));
    await lookAtAll([...inZone].filter((server) => !byParent.has(server)).slice(0, MAX_SERVERS), 'zone');
    const servers = [...known.values()]
      .flat()
      .map((facts) =>
        byParent.has(facts.server) && inZone.has(facts.server)
          ? { ...facts, listedBy: 'both' as const }
          : facts,
      )
      .sort((a, b) => (a.server < b.server ? -1 : a.server > b.server ? 1 : 0));
    const serverAddresses = new Map<string, readonly string[]>();
    let addressTtl = Math.max(0, ...glue.filter((record) => byParent.has(record.name)).map(({ ttl }) => ttl));
    for (const server of [...byParent].slice(0, MAX_ADDRESSED)) {
      const found = await this.reach(server, 'A');
      addressTtl = Math.max(addressTtl, ...found.chain.map(({ ttl }) => ttl));
      if (glue.some(({ name: owner }) => owner === server)) serverAddresses.set(server, found.addresses);
    }
    return {
      name,
      via: 'delegation',
      zone,
      parentZone,
      parents,
      servers,
      reached: await this.reach(name),
      serverAddresses: Object.fromEntries(serverAddresses),
      addressTtl,
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
        : await this.#cuts.placesOf(server, [], '');
    return places.length === 0
      ? [nowhere(server, 'zone')]
      : Promise.all(
          places.map((place) =>
            lookAtServer(
              this.#questions,
              { ...place, server },
              { zone, name, listedBy: 'zone', signers: this.#signers.get(zone) ?? [] },
            ),
          ),
        );
  }

  /** What a visitor's resolver comes to. */
  reach(name: string, type: 'A' | 'both' = 'both'): Promise<Reached> {
    return this.#cuts.reach(name, type);
  }
}
