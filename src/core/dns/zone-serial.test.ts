import { expect, it } from 'vitest';
import { nextSerial, raiseSerial } from './zone-serial.js';
import { parseZone } from './zone-file.js';

const NOW = Date.UTC(2026, 11, 1, 9);

it.each([
  [1, 2],
  [2026113001, 2026120100],
  [2026120100, 2026120101],
  [2026120199, 2026120200],
  [2099010100, 2099010101],
  [1700000000, 1700000001],
  [2 ** 32 - 1, 1],
])('after %i comes %i', (serial, next) => {
  expect(nextSerial(serial, NOW)).toBe(next);
});

it.each([
  ['@ 60 IN SOA ns1 h 1 2 3 4 5', '@ 60 IN SOA ns1 h 2 2 3 4 5'],
  [
    '@ IN SOA ns1.soa. h (\n  2026113001 ; the serial 7\n  2 3 4 5 )',
    '@ IN SOA ns1.soa. h (\n  2026120100 ; the serial 7\n  2 3 4 5 )',
  ],
  ['@ SOA ns1 ; 5 6 7\n', '@ SOA ns1 ; 5 6 7\n'],
  ['soa 60 IN soa ns1 h (9\n2 3 4 5)', 'soa 60 IN soa ns1 h (10\n2 3 4 5)'],
])('%j has its serial raised where it stands', (text, expected) => {
  const [soa] = parseZone(text, 'mill.example').records;
  const lines = text.split('\n');
  if (soa) raiseSerial(lines, soa, NOW);
  expect(lines.join('\n')).toBe(expected);
});
