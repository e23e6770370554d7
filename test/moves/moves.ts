/** Moves of a site's names as people make them, with what is the new answer of each. */
import type { Kind } from './authority.js';
import {
  addressOf,
  BUCKET_HOST,
  NEW_PLACE,
  OLD_PLACE,
  type Delegation,
  type Kinds,
  type ProviderId,
  type State,
  type Zone,
} from './tree.js';

export interface Step {
  /** Seconds after what came before. */
  readonly after: number;
  readonly then: State;
}

export interface Move {
  /**
   * After how many seconds, counted by hand from the TTLs, the last visitor has the new answer: how long the old one may
   * be held, or what leads to servers that are gone.
   */
  readonly needed: number;
  readonly start: State;
  /** The last of them makes the new answer; after each other one the names are looked at. */
  readonly steps: readonly Step[];
  /** What happens while it is waited. */
  readonly during?: readonly Step[];
  readonly isSigned?: boolean;
  readonly kinds?: Kinds;
}

/** Names that are like `www`; each is asked for the first time at another moment. */
export const ALIKE = Array.from({ length: 60 }, (_, number) => `s${number}`);
export const NAMES = ['www', ...ALIKE];

const each = (record: string): string[] => NAMES.map((name) => `${name} ${record}`);
const lead = (ttl: number, place: string): string[] => each(`${ttl} IN A ${place}`);
const leadOn = (ttl: number): string[] => each(`${ttl} IN CNAME ${BUCKET_HOST}.`);

const OLD_NS = ['ns1.parkhaus.example.', 'ns2.parkhaus.example.'];
const NEW_NS = ['ns1.newhost.example.', 'ns2.newhost.example.'];
const hosts = (ttl: number, old: readonly ProviderId[] = ['old1', 'old2']): string[] => [
  ...old.map((id, number) => `ns${number + 1}.parkhaus ${ttl} IN A ${addressOf(id)}`),
  `ns1.newhost ${ttl} IN A ${addressOf('new1')}`,
  `ns2.newhost ${ttl} IN A ${addressOf('new2')}`,
  `ns1.sixhost ${ttl} IN AAAA ${addressOf('six1')}`,
  `ns2.sixhost ${ttl} IN AAAA ${addressOf('six2')}`,
];

/** TTLs in seconds. */
interface Ttls {
  readonly parent?: number;
  readonly zone?: number;
  readonly negative?: number;
}

const delegate = (ns: readonly string[], ttl = 5, ds?: Delegation['ds']): Delegation => ({ ns, ttl, ds });
const both = (delegation: Delegation | undefined): State['parents'] => [delegation, delegation];
const zone = (ns: readonly string[], lines: readonly string[], ttls: Ttls = {}, key?: string): Zone => ({
  ns,
  nsTtl: ttls.zone ?? 6,
  negative: ttls.negative ?? 3,
  lines,
  key,
});
const atOld = (own: Zone): State['at'] => ({ old1: own, old2: own });
const atNew = (own: Zone): State['at'] => ({ new1: own, new2: own });

/** One provider all along, whose records change. */
const inPlace = (lines: readonly string[], ttls: Ttls = {}, more: readonly string[] = []): State => ({
  parents: both(delegate(OLD_NS, ttls.parent)),
  at: atOld(zone(OLD_NS, lines, ttls)),
  above: [...hosts(60), ...more],
});

/** From the old provider to the new one. */
const moving = (
  to: readonly string[],
  old: readonly string[] | undefined,
  fresh: readonly string[] | undefined,
  ttls: Ttls = {},
): State => ({
  parents: both(delegate(to, ttls.parent)),
  at: {
    ...(old ? atOld(zone(OLD_NS, old, ttls)) : {}),
    ...(fresh ? atNew(zone(NEW_NS, fresh, ttls)) : {}),
  },
  above: hosts(60),
});

const signedMove = (
  to: readonly string[],
  key: string | undefined,
  dsTtl: number,
  at: readonly ('old' | 'new')[] = ['old', 'new'],
): State => ({
  parents: both(delegate(to, 5, key === undefined ? undefined : { key, ttl: dsTtl })),
  at: {
    ...(at.includes('old') ? atOld(zone(OLD_NS, lead(4, OLD_PLACE), {}, 'old')) : {}),
    ...(at.includes('new') ? atNew(zone(NEW_NS, lead(4, NEW_PLACE), {}, 'new')) : {}),
  },
  above: hosts(60),
});

const OLD = (ttl: number): string[] => lead(ttl, OLD_PLACE);
const NEW = (ttl: number): string[] => lead(ttl, NEW_PLACE);

/** The apex, and `www` and the like as aliases of it. */
const byApex = (place: string, ttl: number): string[] => [
  `@ ${ttl} IN A ${place}`,
  ...each(`60 IN CNAME wendlemill.example.`),
];
const byTwo = (place: string, ttl: number): string[] => [
  ...each(`60 IN CNAME web.wendlemill.example.`),
  `web 60 IN CNAME front.wendlemill.example.`,
  `front ${ttl} IN A ${place}`,
];
const VANITY = ['ns1.wendlemill.example.', 'ns2.wendlemill.example.'];
const vanity = (
  ids: readonly [ProviderId, ProviderId],
  ttl: number,
  place: string,
  at: readonly ProviderId[],
): State => {
  const own = ids.map((id, number) => `ns${number + 1} ${ttl} IN A ${addressOf(id)}`);
  return {
    parents: both(delegate(VANITY)),
    at: Object.fromEntries(
      at.map((id) => [id, zone(VANITY, [...own, ...lead(4, id.startsWith('old') ? OLD_PLACE : place)])]),
    ),
    above: [
      ...hosts(60),
      ...ids.map((id, number) => `ns${number + 1}.wendlemill ${ttl} IN A ${addressOf(id)}`),
    ],
  };
};

const carrier = (place: string, ttl: number): string => `edge.carrier ${ttl} IN A ${place}`;

export const MOVES = {
  'a record': { needed: 9, start: inPlace(OLD(9)), steps: [{ after: 3, then: inPlace(NEW(9)) }] },
  'a record whose TTL was lowered before': {
    needed: 12,
    start: inPlace(OLD(14)),
    steps: [
      { after: 3, then: inPlace(OLD(2)) },
      { after: 2, then: inPlace(NEW(2)) },
    ],
  },
  'a record that comes with a longer TTL': {
    needed: 4,
    start: inPlace(OLD(4)),
    steps: [{ after: 3, then: inPlace(NEW(60)) }],
  },
  'an address that becomes an alias': {
    needed: 8,
    start: inPlace(OLD(8)),
    steps: [{ after: 3, then: inPlace(leadOn(20)) }],
  },
  'an alias that becomes an address': {
    needed: 8,
    start: inPlace(each('8 IN CNAME edge.carrier.example.'), {}, [carrier(OLD_PLACE, 20)]),
    steps: [{ after: 3, then: inPlace(NEW(10), {}, [carrier(OLD_PLACE, 20)]) }],
  },
  'the apex, under aliases of it': {
    needed: 12,
    start: inPlace(byApex(OLD_PLACE, 12)),
    steps: [{ after: 3, then: inPlace(byApex(NEW_PLACE, 12)) }],
  },
  'the end of two aliases': {
    needed: 11,
    start: inPlace(byTwo(OLD_PLACE, 11)),
    steps: [{ after: 3, then: inPlace(byTwo(NEW_PLACE, 11)) }],
  },
  'an alias in another zone': {
    needed: 10,
    start: inPlace(each('60 IN CNAME edge.carrier.example.'), {}, [carrier(OLD_PLACE, 10)]),
    steps: [
      { after: 3, then: inPlace(each('60 IN CNAME edge.carrier.example.'), {}, [carrier(NEW_PLACE, 10)]) },
    ],
  },
  'a name that was not there': {
    needed: 9,
    start: inPlace([], { negative: 9 }),
    steps: [{ after: 3, then: inPlace(NEW(5), { negative: 9 }) }],
  },
  'a name that had other records alone': {
    needed: 8,
    start: inPlace(each('5 IN TXT "parked"'), { negative: 8 }),
    steps: [{ after: 3, then: inPlace(NEW(5), { negative: 8 }) }],
  },
  'two changes, one after the other': {
    needed: 13,
    start: inPlace(OLD(16)),
    steps: [
      { after: 3, then: inPlace(lead(3, '10.53.4.8')) },
      { after: 3, then: inPlace(NEW(3)) },
    ],
  },
  'other name servers, the old ones switched off': {
    needed: 6,
    start: moving(OLD_NS, OLD(6), NEW(6)),
    steps: [{ after: 3, then: moving(NEW_NS, undefined, NEW(6)) }],
  },
  'other name servers, the old ones switched off later': {
    needed: 13,
    start: moving(OLD_NS, OLD(5), NEW(5)),
    steps: [{ after: 3, then: moving(NEW_NS, OLD(5), NEW(5)) }],
    during: [{ after: 8, then: moving(NEW_NS, undefined, NEW(5)) }],
  },
  'other name servers, a long NS TTL in the zone': {
    needed: 23,
    start: moving(OLD_NS, OLD(4), NEW(4), { zone: 14, parent: 3 }),
    steps: [{ after: 3, then: moving(NEW_NS, OLD(4), NEW(4), { zone: 14, parent: 3 }) }],
    during: [{ after: 19, then: moving(NEW_NS, undefined, NEW(4), { zone: 14, parent: 3 }) }],
  },
  'other name servers, a long NS TTL at the parent': {
    needed: 23,
    start: moving(OLD_NS, OLD(4), NEW(4), { zone: 3, parent: 14 }),
    steps: [{ after: 3, then: moving(NEW_NS, OLD(4), NEW(4), { zone: 3, parent: 14 }) }],
    during: [{ after: 19, then: moving(NEW_NS, undefined, NEW(4), { zone: 3, parent: 14 }) }],
  },
  'new records in the old zone, then other name servers': {
    needed: 17,
    start: moving(OLD_NS, OLD(20), NEW(4)),
    steps: [
      { after: 3, then: moving(OLD_NS, NEW(4), NEW(4)) },
      { after: 2, then: moving(NEW_NS, NEW(4), NEW(4)) },
    ],
  },
  'TTL lowered, new records, then other name servers': {
    needed: 14,
    start: moving(OLD_NS, OLD(22), NEW(3)),
    steps: [
      { after: 3, then: moving(OLD_NS, OLD(3), NEW(3)) },
      { after: 3, then: moving(OLD_NS, NEW(3), NEW(3)) },
      { after: 3, then: moving(NEW_NS, NEW(3), NEW(3)) },
    ],
  },
  'addresses of name servers that keep their names': {
    needed: 10,
    start: vanity(['old1', 'old2'], 10, NEW_PLACE, ['old1', 'old2', 'new1', 'new2']),
    steps: [{ after: 3, then: vanity(['new1', 'new2'], 10, NEW_PLACE, ['new1', 'new2']) }],
  },
  'addresses of a provider that moves': {
    needed: 11,
    start: {
      parents: both(delegate(OLD_NS)),
      at: { ...atOld(zone(OLD_NS, OLD(4))), ...atNew(zone(OLD_NS, NEW(4))) },
      above: hosts(11),
    },
    steps: [
      {
        after: 3,
        then: {
          parents: both(delegate(OLD_NS)),
          at: atNew(zone(OLD_NS, NEW(4))),
          above: hosts(11, ['new1', 'new2']),
        },
      },
    ],
  },
  'one server after the other': {
    needed: 8,
    start: inPlace(OLD(8)),
    steps: [
      {
        after: 3,
        then: { ...inPlace(NEW(8)), at: { old1: zone(OLD_NS, NEW(8)), old2: zone(OLD_NS, OLD(8)) } },
      },
      { after: 5, then: inPlace(NEW(8)) },
    ],
  },
  'one parent after the other': {
    needed: 6,
    start: moving(OLD_NS, OLD(5), NEW(5)),
    steps: [
      {
        after: 3,
        then: { ...moving(NEW_NS, OLD(5), NEW(5)), parents: [delegate(NEW_NS), delegate(OLD_NS)] },
      },
      { after: 5, then: moving(NEW_NS, undefined, NEW(5)) },
    ],
  },
  'to servers with addresses of the new kind alone': {
    needed: 6,
    start: moving(OLD_NS, OLD(5), undefined),
    steps: [
      {
        after: 3,
        then: {
          parents: both(delegate(['ns1.sixhost.example.', 'ns2.sixhost.example.'])),
          at: Object.fromEntries(
            (['six1', 'six2'] as const).map((id) => [
              id,
              zone(['ns1.sixhost.example.', 'ns2.sixhost.example.'], NEW(5)),
            ]),
          ),
          above: hosts(60),
        },
      },
    ],
  },
  'the DS together with the name servers': {
    needed: 72,
    isSigned: true,
    start: signedMove(OLD_NS, 'old', 12),
    steps: [{ after: 3, then: signedMove(NEW_NS, 'new', 12, ['new']) }],
  },
  'the DS removed, waited for, then the name servers': {
    needed: 6,
    isSigned: true,
    start: signedMove(OLD_NS, 'old', 6),
    steps: [
      { after: 3, then: signedMove(OLD_NS, undefined, 6) },
      { after: 8, then: signedMove(NEW_NS, undefined, 6, ['new']) },
    ],
  },
} as const satisfies Record<string, Move>;

export type MoveName = keyof typeof MOVES;

const KIND_ORDER: readonly Kind[] = ['nsd', 'bind', 'knot'];
/** Each move over other kinds of servers, in turn. */
export function kindsOf(name: MoveName): Kinds {
  const from = Object.keys(MOVES).indexOf(name);
  const at = (number: number): Kind => KIND_ORDER[(from + number) % KIND_ORDER.length] ?? 'nsd';
  return { parents: [at(0), at(1)], old: [at(2), at(0)], new: [at(1), at(2)] };
}
