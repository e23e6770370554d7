import { expect, it } from 'vitest';
import type { NameFacts, ParentFacts, ZoneServerFacts } from './facts.js';
import { NAME_RULES } from './name-rules.js';
import type { NamingContext } from './naming-context.js';
import { listRequiredRecords } from './required-records.js';

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
  return NAME_RULES.flatMap((rule) => [...rule.inspect(context)]).map(({ rule }) => rule);
};

it.each([
  ['all is well', {}, {}, []],
  ['nobody is named', { parents: [parent({ ns: [] })], servers: [] }, {}, ['delegation-missing']],
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
    ['resolver-only', 'nobody-answers'],
  ],
  ['a look-up that ended early', { endedAfter: 300 }, {}, ['look-up-ended']],
  [
    'another page',
    {},
    { host: { url: `http://${SITE}/`, seen: '200', expected: '404' } },
    ['host-answers-otherwise'],
  ],
] as const)('%s', (_what, own, more, rules) => {
  expect(rulesOf(own as Partial<NameFacts>, more)).toEqual(rules);
});
