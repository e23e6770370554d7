/**
 * Where zones begin, and where their servers are: found from the root down, each once. Servers may have names in zones
 * that are found by other servers in turn, also in each other's: what leads back to itself leads nowhere, and how much
 * is looked up for one another is bounded, since anybody can write such names.
 */
import { isWithin, parentOf } from '../core/dns/domain-name.js';
import type { Reached } from '../core/dns/facts.js';
import { ofType, targetOf, type NameRecord } from '../core/dns/record.js';
import { NAMES_PORT as PORT, type ServerPlace } from '../core/dns/server-place.js';
import type { AskedType, Message } from './message.js';
import type { Questions } from './questions.js';

/** Servers of a zone that are asked, and addresses of each. */
export const MAX_SERVERS = 26;
const MAX_ADDRESSES = 6;
/** Links that are followed, how deep names of servers lead to others, and how many such names are looked up in all. */
const MAX_LINKS = 12;
const MAX_DEPTH = 8;
const MAX_LOOKED_UP = 400;
/** Servers that are tried for one answer: a silent one takes seconds. */
const MAX_TRIED = 8;

export interface NamedServer extends ServerPlace {
  readonly server: string;
}

export interface Cut {
  readonly zone: string;
  readonly servers: readonly NamedServer[];
  readonly parentZone: string;
  readonly parents: readonly NamedServer[];
}

/** A cut that is being looked for. */
class Search {
  readonly name: string;
  readonly depth: number;
  found: Promise<Cut> | undefined;
  /** What it waits for. */
  readonly waitsFor = new Set<Search>();
  /** Searches under way that it could not wait for, since they wait for it: what it comes to may lack something. */
  readonly lacks = new Set<Search>();

  constructor(name: string, depth: number) {
    this.name = name;
    this.depth = depth;
  }

  comesTo(other: Search, seen = new Set<Search>()): boolean {
    if (this === other) return true;
    if (seen.has(this)) return false;
    seen.add(this);
    return [...this.waitsFor].some((each) => each.comesTo(other, seen));
  }
}

export class Cuts {
  readonly #root: Cut;
  readonly #questions: Questions;
  readonly #known = new Map<string, Cut>();
  readonly #searches = new Map<string, Search>();
  /** Addresses that have been silent: nobody waits for them a second time. */
  readonly #silent = new Set<string>();
  #lookedUp = 0;

  /** @param roots where the root is answered */
  constructor(roots: readonly ServerPlace[], questions: Questions) {
    this.#questions = questions;
    const servers = roots.map((place) => ({ ...place, server: '.' }));
    this.#root = { zone: '', servers, parentZone: '', parents: [] };
  }

  /** The zone that a name is in, and its parent. @param by the search that needs it */
  async of(name: string, by?: Search, depth = 0): Promise<Cut> {
    const known = this.#known.get(name);
    if (known) return known;
    if (name === '' || depth > MAX_DEPTH) return this.#root;
    let search = this.#searches.get(name);
    if (search && by && search.comesTo(by)) {
      by.lacks.add(search);
      return { ...this.#root, servers: [] };
    }
    const isNew = !search;
    search ??= new Search(name, depth);
    // Before it begins: it may come back to whoever waits for it at once.
    by?.waitsFor.add(search);
    if (isNew) {
      this.#searches.set(name, search);
      search.found = this.#keep(search);
    }
    const cut = (await search.found) ?? this.#root;
    by?.waitsFor.delete(search);
    for (const each of search.lacks) if (each !== by) by?.lacks.add(each);
    return cut;
  }

  async #keep(search: Search): Promise<Cut> {
    try {
      const cut = await this.#find(search);
      search.lacks.delete(search);
      if (search.lacks.size === 0) this.#known.set(search.name, cut);
      return cut;
    } finally {
      this.#searches.delete(search.name);
    }
  }

  async #find(search: Search): Promise<Cut> {
    const { name } = search;
    const above = await this.of(parentOf(name), search, search.depth);
    const message = await this.askAny(above.servers, name, 'NS');
    const records = [...(message?.answers ?? []), ...(message?.authorities ?? [])];
    const ns = ofType(records, 'NS').filter((record) => record.name === name);
    if (!message || ns.length === 0) return above;
    const names = [...new Set(ns.map(targetOf))].slice(0, MAX_SERVERS);
    const places = await Promise.all(
      names.map(async (server) =>
        (await this.placesOf(server, message.additionals, above.zone, search)).map((place) => ({
          ...place,
          server,
        })),
      ),
    );
    return { zone: name, servers: places.flat(), parentZone: above.zone, parents: above.servers };
  }

  /** Where a server is: glue counts only within the zone that gave it. */
  async placesOf(
    server: string,
    glue: readonly NameRecord[],
    zone: string,
    by?: Search,
  ): Promise<ServerPlace[]> {
    const given = isWithin(server, zone)
      ? glue.filter((record) => record.name === server && (record.type === 'A' || record.type === 'AAAA'))
      : [];
    let addresses = [...new Set(given.map(({ data }) => data))];
    if (addresses.length === 0 && this.#lookedUp++ < MAX_LOOKED_UP)
      addresses = [...(await this.reach(server, 'A', by)).addresses];
    const four = addresses.filter((address) => !address.includes(':'));
    return (four.length > 0 ? four : addresses)
      .slice(0, MAX_ADDRESSES)
      .map((address) => ({ address, port: PORT }));
  }

  /** What a visitor's resolver comes to. */
  async reach(name: string, type: 'A' | 'both' = 'both', by?: Search): Promise<Reached> {
    const chain: NameRecord[] = [];
    let at = name;
    for (let link = 0; link < MAX_LINKS; link++) {
      const { servers } = await this.of(at, by, by ? by.depth + 1 : 0);
      const message = await this.askAny(servers, at, 'A');
      if (!message) return { chain, addresses: [], trouble: 'no-answer' };
      const own = message.answers.filter((record) => record.name === at);
      const [alias] = ofType(own, 'CNAME');
      if (!alias) {
        // Servers that have one of the new addresses alone are found too.
        const isEnough = type === 'A' && own.some((record) => record.type === 'A');
        const more = isEnough ? undefined : await this.askAny(servers, at, 'AAAA');
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

  /** The first that says anything of use; servers that refuse or are silent are passed over. */
  async askAny(servers: readonly ServerPlace[], name: string, type: AskedType): Promise<Message | undefined> {
    let tries = 0;
    for (const place of servers) {
      const spot = `${place.address} ${place.port}`;
      if (this.#silent.has(spot)) continue;
      if (++tries > MAX_TRIED) return undefined;
      const asked = await this.#questions.ask(place, { name, type });
      if ('silence' in asked) {
        if (asked.silence !== 'malformed') this.#silent.add(spot);
      } else if (asked.message.rcode === 'NOERROR' || asked.message.rcode === 'NXDOMAIN')
        return asked.message;
    }
    return undefined;
  }
}
