/**
 * The law of waiting: once a check says that nothing is left to wait for, no resolver that keeps to the TTLs gives an old
 * answer, whatever was changed before, in whatever order, and whichever way it follows delegations. The world and its
 * resolvers are played second by second, and know nothing of how waits are reckoned.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { LONGER, SEED } from '../../../test/helpers/chance.js';
import type { NameFacts, ZoneServerFacts } from './facts.js';
import {
  decideNameWait,
  formersOf,
  listFormerPlaces,
  observe,
  remember,
  rememberGone,
  rememberOld,
  type ObservedName,
} from './observed-names.js';

const NAME = 'www.mill.example';
const RIGHT = '192.0.2.80';

/** What is answered at an address; addresses that are missing are dead. */
interface Zone {
  readonly ns: readonly string[];
  readonly nsTtl: number;
  readonly says: string;
  readonly ttl: number;
}

interface World {
  readonly parentNs: readonly string[];
  readonly parentTtl: number;
  readonly addresses: Readonly<Record<string, string>>;
  readonly addressTtl: number;
  readonly zones: Readonly<Record<string, Zone>>;
}

const zoneAt = (world: World, server: string, address = world.addresses[server]): Zone | undefined =>
  address === undefined ? undefined : world.zones[address];

const factsAt = (world: World, server: string, address: string, zone: Zone | undefined): ZoneServerFacts => ({
  server,
  address,
  outcome: zone ? 'answers' : 'silent',
  listedBy: 'both',
  negative: 1,
  ns: zone?.ns ?? [],
  nsTtl: zone?.nsTtl ?? 0,
  own: zone ? [{ name: NAME, type: 'A', ttl: zone.ttl, data: zone.says }] : [],
  wild: [],
  caa: [],
  keys: false,
});

const look = (world: World): NameFacts => ({
  name: NAME,
  via: 'delegation',
  zone: 'mill.example',
  parentZone: 'example',
  parents: [
    {
      server: 'parent',
      address: '192.0.2.1',
      outcome: 'answers',
      ns: [...world.parentNs].sort(),
      nsTtl: world.parentTtl,
      glue: [],
      ds: false,
    },
  ],
  servers: world.parentNs.map((server) =>
    factsAt(world, server, world.addresses[server] ?? '', zoneAt(world, server)),
  ),
  reached: { chain: [], addresses: [] },
  serverAddresses: {},
  addressTtl: world.addressTtl,
});

interface Held<T> {
  readonly value: T;
  readonly until: number;
}

/** Follows delegations as some do: by the parent alone, by the zone's own NS set, or by asking the zone for it for ever. */
class Resolver {
  readonly #kind: 'parent' | 'child' | 'stays';
  #ns: Held<readonly string[]> | undefined;
  readonly #addresses = new Map<string, Held<string>>();
  #answer: Held<string> | undefined;

  constructor(kind: 'parent' | 'child' | 'stays') {
    this.#kind = kind;
  }

  ask(world: World, at: number, choice: number): string | undefined {
    if (this.#answer && this.#answer.until > at) return this.#answer.value;
    if (!this.#ns || this.#ns.until <= at) this.#ns = { value: world.parentNs, until: at + world.parentTtl };
    const server = this.#ns.value[choice % this.#ns.value.length] ?? '';
    let address = this.#addresses.get(server);
    if (!address || address.until <= at) {
      const found = world.addresses[server];
      if (found === undefined) return undefined;
      address = { value: found, until: at + world.addressTtl };
      this.#addresses.set(server, address);
    }
    const zone = world.zones[address.value];
    if (!zone) return undefined;
    if (this.#kind === 'stays' || (this.#kind === 'child' && this.#ns.value === world.parentNs))
      this.#ns = { value: zone.ns, until: at + zone.nsTtl };
    this.#answer = { value: zone.says, until: at + zone.ttl };
    return zone.says;
  }
}

const ttl = fc.integer({ min: 1, max: 40 });
const change = fc.record({
  what: fc.constantFrom('record', 'one record', 'delegation', 'address', 'ttl', 'old zone', 'switch off'),
  which: fc.nat(3),
  ttl,
  after: fc.integer({ min: 1, max: 15 }),
});

/** Two providers with two servers each; the new one is right from the beginning or becomes so. */
function play(
  initial: readonly number[],
  changes: readonly { what: string; which: number; ttl: number; after: number }[],
): World[] {
  const [record = 10, nsTtl = 10, parentTtl = 10, addressTtl = 10, old = 0] = initial;
  const zone = (names: readonly string[], says: string): Zone => ({ ns: names, nsTtl, says, ttl: record });
  const [OLD, NEW] = [
    ['a.old', 'b.old'],
    ['a.new', 'b.new'],
  ];
  let world: World = {
    parentNs: OLD ?? [],
    parentTtl,
    addresses: { 'a.old': '10.0.0.1', 'b.old': '10.0.0.2', 'a.new': '10.0.0.3', 'b.new': '10.0.0.4' },
    addressTtl,
    zones: {
      '10.0.0.1': zone(OLD ?? [], `192.0.2.${old}`),
      '10.0.0.2': zone(OLD ?? [], `192.0.2.${old}`),
      '10.0.0.3': zone(NEW ?? [], RIGHT),
      '10.0.0.4': zone(NEW ?? [], RIGHT),
    },
  };
  const seconds: World[] = [world];
  const stay = (times: number): void => void seconds.push(...Array.from({ length: times }, () => world));
  let spare = 10;
  const setAll = (edit: (zone: Zone) => Zone, at: (address: string) => boolean): void => {
    world = {
      ...world,
      zones: Object.fromEntries(
        Object.entries(world.zones).map(([address, each]) => [address, at(address) ? edit(each) : each]),
      ),
    };
  };
  const named = (address: string): boolean =>
    world.parentNs.some((server) => world.addresses[server] === address);
  for (const { what, which, ttl: seconds_, after } of changes) {
    stay(after);
    if (what === 'record' || what === 'one record')
      setAll((each) => ({ ...each, says: which === 0 ? RIGHT : `192.0.2.${which}`, ttl: seconds_ }), named);
    if (what === 'ttl')
      setAll((each) => (which % 2 === 0 ? { ...each, ttl: seconds_ } : { ...each, nsTtl: seconds_ }), named);
    if (what === 'old zone')
      setAll(
        (each) => ({ ...each, says: RIGHT }),
        (address) => !named(address),
      );
    if (what === 'delegation')
      world = {
        ...world,
        parentNs: (which % 2 === 0 ? OLD : NEW) ?? [],
        parentTtl: which > 1 ? seconds_ : world.parentTtl,
      };
    if (what === 'switch off')
      world = {
        ...world,
        zones: Object.fromEntries(Object.entries(world.zones).filter(([address]) => named(address))),
      };
    if (what === 'address') {
      const [server = ''] = world.parentNs;
      const there = zoneAt(world, server);
      const address = `10.0.1.${spare++}`;
      if (there)
        world = {
          ...world,
          addresses: { ...world.addresses, [server]: address },
          zones: { ...world.zones, [address]: { ...there, says: which === 0 ? RIGHT : there.says } },
        };
    }
  }
  // In the end everything that is named answers and is right, and what is named no more is off.
  stay(1);
  for (const server of world.parentNs) {
    const address = world.addresses[server] ?? '';
    if (!world.zones[address])
      world = { ...world, zones: { ...world.zones, [address]: zone(world.parentNs, RIGHT) } };
  }
  setAll((each) => ({ ...each, says: RIGHT }), named);
  stay(3);
  world = {
    ...world,
    zones: Object.fromEntries(Object.entries(world.zones).filter(([address]) => named(address))),
  };
  stay(260);
  return seconds;
}

/** When a check says that nothing is left to wait for, of checks each second. */
function endOf(world: readonly World[]): number {
  let kept: readonly ObservedName[] = [];
  for (const [at, now] of world.entries()) {
    const facts = look(now);
    kept = remember(kept, observe(facts, at * 1000));
    const formers = formersOf(kept);
    const reaches =
      facts.servers.some(({ outcome }) => outcome === 'answers') &&
      facts.servers.every(({ own }) => own.every(({ data }) => data === RIGHT));
    const places = listFormerPlaces(formers, facts, at * 1000);
    const old = Object.entries(places).flatMap(([server, addresses]) =>
      addresses.flatMap((address) => {
        const zone = zoneAt(now, server, address);
        return zone && zone.says !== RIGHT ? [zone.ttl] : [];
      }),
    );
    const oldAnswers = old.length > 0;
    kept = rememberOld(kept, oldAnswers ? Math.max(...old) : undefined, at * 1000);
    const former = Object.entries(places).flatMap(([server, addresses]) =>
      addresses.map((address) => zoneAt(now, server, address)),
    );
    kept = rememberGone(kept, former.length > 0 ? former.every((zone) => !zone) : undefined, at * 1000);
    const wait = decideNameWait(formers, kept);
    const isOver = !wait || wait.until <= at * 1000;
    // A check before the end would be asked again after what comes.
    if (at > world.length - 260 && reaches && !oldAnswers && isOver) return at;
  }
  return world.length;
}

it(`nobody gets an old answer once nothing is left to wait for (FENESTRA_SEED=${SEED})`, () => {
  fc.assert(
    fc.property(
      fc.array(ttl, { minLength: 4, maxLength: 4 }),
      fc.array(change, { minLength: 1, maxLength: 7 }),
      fc.array(
        fc.tuple(fc.constantFrom('parent', 'child', 'stays'), fc.nat(200), fc.integer({ min: 1, max: 9 })),
        {
          minLength: 8,
          maxLength: 8,
        },
      ),
      (initial, changes, visitors) => {
        const world = play([...initial, 7], changes);
        const end = endOf(world);
        expect(end).toBeLessThan(world.length);
        for (const [kind, began, every] of visitors) {
          const resolver = new Resolver(kind as 'parent' | 'child' | 'stays');
          for (let at = began; at < world.length; at += every) {
            const now = world[at];
            const answer = now && resolver.ask(now, at, at + began);
            if (at >= end && answer !== undefined)
              expect([at, end, kind, answer]).toEqual([at, end, kind, RIGHT]);
          }
        }
      },
    ),
    { numRuns: 150 * LONGER, seed: SEED },
  );
});
