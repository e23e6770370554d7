/** A zone that is completed says of everything else what it said before. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compareZone, completeZone, listZoneTasks, occupantOf } from './complete-zone.js';
import { listRequiredRecords, type RequiredRecords } from './required-records.js';
import type { NameRecord } from './record.js';
import { parseZone, type Zone } from './zone-file.js';

const ZONE = 'mill.example';
const HEAD = '$ORIGIN mill.example.\n@ 60 IN SOA ns1 h 1 2 3 4 5\n  60 IN NS ns1.host.example.\n';
const NOW = Date.UTC(2026, 11, 1);
const SITES = [`www.${ZONE}`, `shop.${ZONE}`];
const ADDRESSES = ['192.0.2.80', '2001:db8::80'];

const needsOf = (zone: Zone, addresses: readonly string[] = ADDRESSES): RequiredRecords[] =>
  listRequiredRecords(
    {
      domains: SITES,
      movedHosts: [ZONE],
      bucketHost: 'mill.store.example',
      addresses,
      ttl: 3600,
      occupantOf: (name) => occupantOf(zone, name),
    },
    () => ZONE,
  );
const complete = (text: string): string => {
  const zone = parseZone(text, undefined);
  return completeZone(text, zone, needsOf(zone), NOW).text;
};

it('hints at old addresses go, and the signatures of before', () => {
  const text = `${HEAD}www 60 A 192.0.2.1
 60 HTTPS 1 . alpn=h2 ipv4hint=192.0.2.1 port=443
 60 RRSIG A 13 3 60 20261201000000 20261101000000 7 mill.example. abc=
 60 NSEC mail.mill.example. A RRSIG
 60 TXT "stays"
mail 60 A 192.0.2.9
`;
  const zone = parseZone(text, undefined);
  const after = parseZone(complete(text), undefined);
  const said = after.records
    .filter(({ name }) => name !== ZONE)
    .map(({ type, data: says }) => `${type} ${says}`);
  expect([...new Set(said)].sort()).toEqual([
    'A 192.0.2.80',
    'A 192.0.2.9',
    'AAAA 2001:db8::80',
    'CNAME mill.store.example.',
    'HTTPS 1 . alpn=h2 port=443',
    'TXT "stays"',
  ]);
  expect(listZoneTasks(zone, needsOf(zone)).map(({ what }) => what)).toEqual([
    expect.stringContaining('the zone is signed'),
  ]);
  expect(
    listZoneTasks(zone, needsOf(zone, []))
      .map(({ what }) => what)
      .join(),
  ).toContain('addresses of mill.store.example are not known');
});

it('lines end as those of the file do', () => {
  const text = complete(`${HEAD}www 60 A 192.0.2.1\nmail 60 A 192.0.2.9\n`.replaceAll('\n', '\r\n'));
  expect(text.split('\r\n').length).toBe(text.split('\n').length);
});

describe('what takes the place of a line', () => {
  const cname = (host: string, ttl = 3600): string =>
    `${host} ${ttl} IN CNAME mill.store.example. ; in place of it`;
  const a = 'www.mill.example. 3600 IN A 192.0.2.80 ; in place of it';
  const aaaa = 'www.mill.example. 3600 IN AAAA 2001:db8::80 ; in place of it';
  it.each([
    [
      'a line',
      'www 60 A 192.0.2.1\nmail 60 A 192.0.2.9',
      ['; was: www 60 A 192.0.2.1', cname('www.mill.example.'), 'mail 60 A 192.0.2.9'],
    ],
    [
      'over several lines',
      'www 60 A ( ; the old\n 192.0.2.1\n)\nmail 60 A 192.0.2.9',
      [
        '; was: www 60 A ( ; the old',
        '; was:  192.0.2.1',
        '; was: )',
        cname('www.mill.example.'),
        'mail 60 A 192.0.2.9',
      ],
    ],
    [
      'with something else of that name below it',
      'www 60 A 192.0.2.1\n 60 TXT "hello"',
      ['; was: www 60 A 192.0.2.1', a, aaaa, ' 60 TXT "hello"'],
    ],
    [
      'whose TTL others have',
      'www 60 A 192.0.2.1\nmail A 192.0.2.9',
      ['; was: www 60 A 192.0.2.1', cname('www.mill.example.', 60), 'mail A 192.0.2.9'],
    ],
    [
      'and of another one besides',
      'www 60 A 192.0.2.1\nmail 60 A 192.0.2.9\nwww 60 A 192.0.2.2\n 60 TXT "hello"',
      [
        '; was: www 60 A 192.0.2.1',
        a,
        aaaa,
        'mail 60 A 192.0.2.9',
        '; was: www 60 A 192.0.2.2',
        a,
        ' 60 TXT "hello"',
      ],
    ],
    [
      'that is too much',
      'www 60 CNAME mill.store.example.\nshop 60 CNAME mill.store.example.\n@ 60 A 192.0.2.80\n 60 A 192.0.2.7\n 60 AAAA 2001:db8::80',
      [
        '; was:  60 A 192.0.2.7',
        'mill.example. 3600 IN A 192.0.2.80 ; in place of it',
        ' 60 AAAA 2001:db8::80',
      ],
    ],
  ])('%s', (_, lines, expected) => {
    expect(complete(HEAD + lines + '\n')).toContain(`\n${expected.join('\n')}\n`);
  });
});

const owner = fc.constantFrom('www', 'shop', 'mail', '@', '', '', '');
const data = fc.oneof(
  fc.constantFrom('192.0.2.1', '192.0.2.2', '192.0.2.80').map((address) => ['A', address]),
  fc.constantFrom('2001:db8::1', '2001:db8::80').map((address) => ['AAAA', address]),
  fc.constantFrom('mill.store.example.', 'old.example.').map((host) => ['CNAME', host]),
  fc.constantFrom('"a ; b"', '"two\nlines"', '"a (" "b"').map((text) => ['TXT', text]),
  fc.constant(['MX', '10 post']),
);
const entry = fc
  .tuple(
    owner,
    fc.constantFrom('', '', '60', '300'),
    data,
    fc.constantFrom('plain', 'plain', 'wrapped', 'noted'),
  )
  .map(([name, ttl, [type = '', value = ''], form]) => {
    const shown = form === 'wrapped' ? `( ; of old\n  ${value}\n )` : value;
    return `${name} ${ttl} IN ${type} ${shown}${form === 'noted' ? ' ; a note' : ''}\n`;
  });
const directive = fc.constantFrom('; a note\n', '\n', '$ORIGIN mill.example.\n', '$TTL 90\n');
const zoneText = fc
  .array(fc.oneof({ weight: 6, arbitrary: entry }, directive), { maxLength: 12 })
  .map((entries) => HEAD + entries.join(''));

const PLACING = ['A', 'AAAA', 'CNAME'];
const show = ({ name, type, ttl, data: says }: NameRecord): string => `${name} ${ttl} ${type} ${says}`;
const isPlacing = ({ name, type }: NameRecord): boolean =>
  [...SITES, ZONE].includes(name) && PLACING.includes(type);

it('changes nothing else, leaves every line, and comes to rest', () => {
  fc.assert(
    fc.property(zoneText, fc.constantFrom(ADDRESSES, []), (text, addresses) => {
      const before = parseZone(text, undefined);
      const needs = needsOf(before, addresses);
      const completed = completeZone(text, before, needs, NOW);
      const after = parseZone(completed.text, undefined);
      const others = (zone: Zone): string[] =>
        zone.records
          .filter((each) => !isPlacing(each))
          .map((each) => show(each).replace(/( SOA \S+ \S+) \d+/, '$1 N'));
      const serial = (zone: Zone): number =>
        Number(zone.records.find(({ type }) => type === 'SOA')?.data.split(' ')[2]);
      const isChanged = completed.changes.some(({ change }) => change !== 'keep');
      expect(serial(after) - serial(before)).toBe(isChanged ? 1 : 0);
      expect(others(after)).toEqual(others(before));
      for (const { name, ways } of needs) {
        const wanted = ways[0]?.records ?? [];
        const has = (zone: Zone): string[] => [
          ...new Set(
            zone.records
              .filter((each) => each.name === name && PLACING.includes(each.type))
              .map((each) => `${each.type} ${each.data}`),
          ),
        ];
        const come = wanted.length === 0 ? has(before) : wanted.map((each) => `${each.type} ${each.data}`);
        expect([name, has(after).sort()]).toEqual([name, come.sort()]);
      }
      const lines = completed.text
        .split('\n')
        .map((line) => line.replace(/^; was: /, '').replace('SOA ns1 h 2 ', 'SOA ns1 h 1 '));
      let at = 0;
      for (const line of text.trimEnd().split('\n')) {
        at = lines.indexOf(line, at) + 1;
        expect([line, at > 0]).toEqual([line, true]);
      }
      const faults = before.faults.map(({ what }) => what);
      expect(after.faults.filter(({ what }) => !faults.includes(what))).toEqual([]);
      // Who does it again changes nothing.
      const again = compareZone(after, needsOf(after, addresses));
      expect(again.filter(({ change }) => change !== 'keep')).toEqual([]);
    }),
    { numRuns: 1000, seed: 5 },
  );
});
