import { expect, it } from 'vitest';
import fc from 'fast-check';
import { formatRecord, parseTtl, parseZone } from './zone-file.js';

const HEAD = '$ORIGIN mill.example.\n@ 60 IN SOA ns1 h 1 2 3 4 5\n@ 60 IN NS ns1.host.example.\n';

it.each([
  ['www 300 IN CNAME host.example.', 'www.mill.example', 300, 'CNAME', 'host.example.'],
  ['www IN 300 CNAME host', 'www.mill.example', 300, 'CNAME', 'host.mill.example.'],
  ['WWW.Mill.Example. CNAME @', 'www.mill.example', 60, 'CNAME', 'mill.example.'],
  ['$TTL 1h30m\nwww A 192.0.2.1 ; a comment', 'www.mill.example', 5400, 'A', '192.0.2.1'],
  ['a A 192.0.2.1\n  AAAA 2001:DB8::1', 'a.mill.example', 60, 'AAAA', '2001:db8::1'],
  ['t TXT "a ; b" (\n "c"\n )', 't.mill.example', 60, 'TXT', '"a ; b" "c"'],
  ['@ HTTPS 0 store.example.', 'mill.example', 60, 'HTTPS', '0 store.example.'],
  ['@ MX 10 post', 'mill.example', 60, 'MX', '10 post.mill.example.'],
  ['$ORIGIN below.mill.example.\nx A 192.0.2.1', 'x.below.mill.example', 60, 'A', '192.0.2.1'],
])('reads %j', (line, name, ttl, type, data) => {
  const zone = parseZone(`${HEAD}${line}\n`, undefined);
  expect(zone.faults).toEqual([]);
  expect(zone.records.at(-1)).toMatchObject({ name, ttl, type, data });
});

it.each([
  ['@ CNAME host.example.', 4, 'a CNAME at the apex'],
  ['www A 192.0.2.1\nwww CNAME host.example.', 5, 'beside A'],
  ['www.other.example. A 192.0.2.1', 4, 'outside the zone'],
  ['www A (192.0.2.1', 4, 'never closed'],
  ['t TXT "open', 4, 'never closed'],
  ['www ??? 1', 4, 'is no record'],
  ['$INCLUDE more', 4, 'is not read'],
])('finds the fault in %j', (line, at, what) => {
  const { faults } = parseZone(`${HEAD}${line}\n`, undefined);
  expect(faults.map((fault) => [fault.line, fault.what.includes(what)])).toEqual([[at, true]]);
});

it('times are read as servers read them', () => {
  expect(['60', '1h', '1W2d', '', 'x', '99999999999', '1hh'].map(parseTtl)).toEqual([
    60,
    3600,
    777_600,
    undefined,
    undefined,
    undefined,
    undefined,
  ]);
});

const label = fc.stringMatching(/^[a-z0-9]{1,8}$/);
it('a record that is written is read as the same, and any bytes are read without harm', () => {
  fc.assert(
    fc.property(label, fc.nat(2 ** 20), label, (name, ttl, target) => {
      const record = { name: `${name}.mill.example`, type: 'CNAME', ttl, data: `${target}.example.` };
      const { records } = parseZone(`${HEAD}${formatRecord(record, 'mill.example')}\n`, undefined);
      expect(records.at(-1)).toMatchObject(record);
    }),
    { seed: 7 },
  );
  fc.assert(
    fc.property(fc.string({ maxLength: 300 }), (text) => {
      expect(Array.isArray(parseZone(text, 'mill.example').faults)).toBe(true);
    }),
    { seed: 8, numRuns: 500 },
  );
});
