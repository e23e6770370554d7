import { expect, it } from 'vitest';
import type { NameFacts, ParentFacts, ZoneServerFacts } from './facts.js';
import { NAME_RULES } from './name-rules.js';
import type { NamingContext } from './naming-context.js';
import type { Former } from './observed-names.js';
import { listRequiredRecords } from './required-records.js';
import { HELD_NOTHING } from './waiting.js';

const [SITE, ZONE, HOST] = ['www.mill.example', 'mill.example', 'mill.store.example'];
const parent = (own: Partial<ParentFacts> = {}): ParentFacts => ({
  server: 'ns1.nic.example',
  address: '192.0.2.1',
  outcome: 'answers',
  ns: ['ns1.host.example'],
  nsTtl: 60,
  glue: [],
  ds: false,
  ...own,
});
const server = (own: Partial<ZoneServerFacts> = {}): ZoneServerFacts => ({
  server: 'ns1.host.example',
  address: '192.0.2.2',
  outcome: 'answers',
  listedBy: 'both',
  serial: 1,
  negative: 5,
  ns: ['ns1.host.example'],
  nsTtl: 60,
  own: [{ name: SITE, type: 'CNAME', ttl: 60, data: `${HOST}.` }],
  wild: [],
  caa: [],
  keys: false,
  ...own,
});
const facts = (own: Partial<NameFacts> = {}): NameFacts => ({
  name: SITE,
  via: 'delegation',
  zone: ZONE,
  parentZone: 'example',
  parents: [parent()],
  servers: [server()],
  reached: { chain: [], addresses: ['192.0.2.9'] },
  serverAddresses: {},
  ...own,
});
const FORMER: Former = {
  before: {
    since: 0,
    ns: ['ns0.host.example'],
    addresses: {},
    parentNs: 60,
    zoneNs: 60,
    negative: 5,
    own: [],
  },
  change: 'delegation',
  changedAt: 0,
  ttls: { parentNs: 60, zoneNs: 60, record: 60 },
  negative: 5,
  held: HELD_NOTHING,
};
const RIGHT = { name: SITE, type: 'A', ttl: 60, data: '192.0.2.9' };
const SIGNING = { tags: [7], by: [7], keysTtl: 60 };
const seen = new Set<string>();
const rulesOf = (own: Partial<NameFacts>, more: Partial<NamingContext> = {}): string[] => {
  const found = facts(own);
  const [need] = listRequiredRecords(
    { domains: [found.name], movedHosts: [], bucketHost: HOST, addresses: ['192.0.2.9'], ttl: 60 },
    () => ZONE,
  );
  if (!need) throw new Error('there is a need');
  const context: NamingContext = {
    facts: found,
    need,
    registered: ZONE,
    target: { chain: [], addresses: ['192.0.2.9'] },
    nameServers: [],
    awaited: [],
    former: undefined,
    formerServers: [],
    wait: undefined,
    lookedFirst: undefined,
    now: 0,
    wantsCertificate: false,
    zoneFile: undefined,
    host: undefined,
    ...more,
  };
  const named = NAME_RULES.flatMap((rule) => [...rule.inspect(context)]).map(({ rule }) => rule);
  for (const rule of named) seen.add(rule);
  return named;
};

it.each([
  ['all is well', {}, {}, []],
  ['nobody is named', { parents: [parent({ ns: [] })], servers: [] }, {}, ['delegation-missing']],
  [
    'a delegation that was removed',
    { zone: 'example', parentZone: '', servers: [server({ own: [] })] },
    { nameServers: ['ns1.newhost.example'] },
    ['delegation-missing'],
  ],
  [
    'aliases that lead on to each other and to the bucket',
    {
      servers: [server({ own: [{ name: SITE, type: 'CNAME', ttl: 60, data: `${ZONE}.` }] })],
      reached: {
        chain: [
          { name: SITE, type: 'CNAME', ttl: 60, data: `${ZONE}.` },
          { name: ZONE, type: 'A', ttl: 60, data: '192.0.2.9' },
        ],
        addresses: ['192.0.2.9'],
      },
    },
    {},
    [],
  ],
  ['a DS that was left', { parents: [parent({ ds: true })] }, {}, ['signature-left']],
  ['a DS with its key', { parents: [parent({ ds: true })], servers: [server({ keys: true })] }, {}, []],
  ['no record', { servers: [server({ own: [] })] }, {}, ['record-missing']],
  [
    'a parked address',
    { servers: [server({ own: [{ name: SITE, type: 'A', ttl: 60, data: '192.0.2.77' }] })] },
    {},
    ['record-elsewhere'],
  ],
  [
    "the store's own address",
    { servers: [server({ own: [{ name: SITE, type: 'A', ttl: 60, data: '192.0.2.9' }] })] },
    {},
    [],
  ],
  [
    'an alias to nowhere',
    {
      reached: {
        chain: [{ name: SITE, type: 'CNAME', ttl: 60, data: 'mil.store.example.' }],
        addresses: [],
        trouble: 'dangling',
      },
    },
    {},
    ['alias-nowhere'],
  ],
  [
    'an alias at the apex',
    { name: ZONE, servers: [server({ own: [{ name: ZONE, type: 'CNAME', ttl: 60, data: `${HOST}.` }] })] },
    {},
    ['alias-at-apex'],
  ],
  [
    'a server without an address',
    { servers: [server(), server({ server: 'ns2.host.example', outcome: 'nowhere' })] },
    {},
    ['server-silent'],
  ],
  [
    'few authorities',
    {
      servers: [server({ caa: [{ name: ZONE, type: 'CAA', ttl: 60, data: '0 issue "authority.example"' }] })],
    },
    { wantsCertificate: true },
    ['certificate-limited'],
  ],
  [
    'nobody answers',
    {
      via: 'resolver',
      parents: [],
      servers: [],
      reached: { chain: [], addresses: [], trouble: 'no-answer' },
    },
    {},
    ['nobody-answers'],
  ],
  [
    'a resolver answers',
    { via: 'resolver', parents: [], servers: [], reached: { chain: [RIGHT], addresses: ['192.0.2.9'] } },
    {},
    ['resolver-only'],
  ],
  ['a look-up that ended early', { endedAfter: 300 }, {}, ['look-up-ended']],
  [
    'another page',
    {},
    { host: { url: `http://${SITE}/`, seen: '200', expected: '404' } },
    ['host-answers-otherwise'],
  ],
  [
    'parents that disagree',
    { parents: [parent(), parent({ server: 'ns2.nic.example', ns: ['ns9.host.example'] })] },
    {},
    ['parents-differ', 'servers-listed-differently'],
  ],
  ['a delegation to others', {}, { nameServers: ['ns5.host.example'] }, ['delegation-elsewhere']],
  [
    'glue that is old',
    {
      parents: [parent({ glue: [{ name: 'ns1.host.example', type: 'A', ttl: 60, data: '192.0.2.66' }] })],
      serverAddresses: { 'ns1.host.example': ['192.0.2.2'] },
    },
    {},
    ['glue-differs'],
  ],
  [
    'a zone file that is refused',
    {},
    {
      zoneFile: { path: 'mill.zone', faults: [{ line: 3, what: 'a CNAME beside others', fix: 'part them' }] },
    },
    ['zone-file-refused'],
  ],
  [
    'a server that refuses',
    { servers: [server(), server({ server: 'ns2.host.example', outcome: 'refuses', ns: [] })] },
    {},
    ['server-lame'],
  ],
  [
    'a server that only the zone names',
    { servers: [server({ ns: ['ns1.host.example', 'ns2.host.example'] })] },
    {},
    ['servers-listed-differently'],
  ],
  [
    'a secondary that is behind',
    { servers: [server({ serial: 2 }), server({ address: '192.0.2.3', serial: 1 })] },
    {},
    ['serials-differ'],
  ],
  [
    'servers that lead to two places',
    {
      servers: [
        server(),
        server({
          address: '192.0.2.3',
          own: [{ name: SITE, type: 'CNAME', ttl: 60, data: 'other.store.example.' }],
        }),
      ],
    },
    {},
    ['records-differ', 'record-elsewhere'],
  ],
  [
    'a circle',
    {
      reached: {
        chain: [{ name: SITE, type: 'CNAME', ttl: 60, data: `${SITE}.` }],
        addresses: [],
        trouble: 'loop',
      },
    },
    {},
    ['alias-loop'],
  ],
  [
    'an answer for every name',
    { servers: [server({ wild: [{ name: `x.${ZONE}`, type: 'A', ttl: 60, data: '192.0.2.50' }] })] },
    {},
    ['wildcard-answers'],
  ],
  [
    'servers of before that answer no more',
    {},
    {
      wait: { until: 1000, change: 'delegation', seconds: 1, because: 'it is new' },
      former: FORMER,
      formerServers: [server({ server: 'ns0.host.example', outcome: 'refuses' })],
    },
    ['former-servers-gone', 'change-under-way'],
  ],
  [
    'servers of before that lead to the old place',
    {},
    {
      formerServers: [
        server({
          server: 'ns0.host.example',
          own: [{ name: SITE, type: 'A', ttl: 60, data: '192.0.2.77' }],
        }),
      ],
    },
    ['former-servers-old'],
  ],
  [
    'a change',
    {},
    { wait: { until: 1000, change: 'record', seconds: 1, because: 'it is new' } },
    ['change-under-way'],
  ],
  [
    'a signature that has ended',
    {
      servers: [
        server({ signing: { ...SIGNING, faults: [{ what: 'ended', set: 'A of x', tag: 7, at: 0 }] } }),
      ],
    },
    {},
    ['signature-refused'],
  ],
  [
    'an algorithm that nobody knows',
    { servers: [server({ signing: { ...SIGNING, faults: [{ what: 'unknown-algorithm', set: 'DS' }] } })] },
    {},
    ['signature-unknown'],
  ],
  ['a firewall', { servers: [server({ overTcp: 'silent' })] }, {}, ['transports-differ']],
  ['two programs', { servers: [server({ overTcp: 'differs' })] }, {}, ['transports-differ']],
  ['a first look', {}, { lookedFirst: 60 }, ['first-look']],
] as const)('%s', (_what, own, more, rules) => {
  expect(rulesOf(own as Partial<NameFacts>, more)).toEqual(rules);
});

it('every rule has a row', () => {
  expect(NAME_RULES.map(({ name }) => name).filter((name) => !seen.has(name))).toEqual([]);
});
