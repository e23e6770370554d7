import { expect, test } from 'vitest';
import { decideRange } from './byte-range.js';

test.each<[string | undefined, number, string]>([
  [undefined, 100, 'whole'],
  ['bytes=0-9', 100, '0-9'],
  ['BYTES=0-9', 100, '0-9'],
  ['bytes=90-200', 100, '90-99'],
  ['bytes=100-200', 100, 'unsatisfiable'],
  ['bytes=99-99', 100, '99-99'],
  ['bytes= 0-9 ', 100, '0-9'],
  ['bytes=90-', 100, '90-99'],
  ['bytes=90-500', 100, '90-99'],
  ['bytes=-10', 100, '90-99'],
  ['bytes=-500', 11, '0-10'],
  ['bytes=-500,0-0', 11, '0-10'],
  ['bytes=-0', 100, 'unsatisfiable'],
  ['bytes=100-', 100, 'unsatisfiable'],
  ['bytes=0-', 0, 'unsatisfiable'],
  ['bytes=-5', 0, 'whole'],
  ['bytes=-0', 0, 'unsatisfiable'],
  ['bytes=0-9,10-19', 100, '0-19'],
  ['bytes=0-9,,, 5-12', 100, '0-12'],
  ['bytes=0-1,50-60', 100, 'whole'],
  ['bytes=5-2', 100, 'whole'],
  ['bytes=0-1,5-2', 100, 'whole'],
  ['bytes=', 100, 'whole'],
  ['bytes=,', 100, 'whole'],
  ['bytes=-', 100, 'whole'],
  ['bytes=1', 100, 'whole'],
  ['bytes=a-b', 100, 'whole'],
  ['bytes=0-9 x', 100, 'whole'],
  ['bytes=0x1-2', 100, 'whole'],
  ['lines=0-9', 100, 'whole'],
  [`bytes=0-${'9'.repeat(400)}`, 100, '0-99'],
  [`bytes=0-0${', '.repeat(32)}x`, 100, 'whole'],
])('%s of %i bytes: %s', (header, size, verdict) => {
  const decided = decideRange(header, size);
  expect(typeof decided === 'string' ? decided : `${decided.start}-${decided.end}`).toBe(verdict);
});

test('one range means the same by itself as in a list of which it is the only element', () => {
  for (const size of [0, 1, 2, 9, 10, 11, 1000])
    for (const start of [0, 1, 8, 9, 10, 11, 999])
      for (const end of [0, 1, 8, 9, 10, 11, 5000])
        expect(decideRange(`bytes=${start}-${end}`, size), `${start}-${end} of ${size}`).toEqual(
          decideRange(`bytes=${start}-${end},`, size),
        );
});
