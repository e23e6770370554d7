import fc from 'fast-check';
import { expect, test } from 'vitest';
import { deltaSeconds, formatCacheControl, parseCacheControl, type CacheDirective } from './cache-control.js';
import { formatHttpDate, parseHttpDate } from './http-date.js';

const token = fc.stringMatching(/^[!#$%&'*+.^_`|~0-9a-z-]{1,12}$/);
const text = fc.string({ unit: fc.constantFrom(...'abc019 ,;="\\\t/[]'), maxLength: 12 });
const directive = fc.oneof(
  fc.record({ name: token }),
  fc.record({ name: token, value: fc.oneof(token, text) }),
) as fc.Arbitrary<CacheDirective>;

test('what is formatted parses back to the same directives', () => {
  fc.assert(
    fc.property(fc.array(directive, { maxLength: 8 }), (list) => {
      const back = parseCacheControl(formatCacheControl(list));
      expect(back.map(({ quoted: _, ...rest }) => rest)).toEqual(list);
    }),
    { numRuns: 2000 },
  );
});

test('no header makes the parser throw, and what it keeps is stable', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary', maxLength: 80 }), (header) => {
      const once = parseCacheControl(header);
      expect(parseCacheControl(formatCacheControl(once))).toEqual(once);
    }),
    { numRuns: 2000 },
  );
});

test.each<[string, CacheDirective[]]>([
  ['max-age=60, Public', [{ name: 'max-age', value: '60' }, { name: 'public' }]],
  [
    'no-cache="Set-Cookie, X-A" ,max-age="60"',
    [
      { name: 'no-cache', value: 'Set-Cookie, X-A', quoted: true },
      { name: 'max-age', value: '60', quoted: true },
    ],
  ],
  [
    ' , ,max-age=1,, max-age=2',
    [
      { name: 'max-age', value: '1' },
      { name: 'max-age', value: '2' },
    ],
  ],
  ['x="a\\"b,c", bad value, =3, y="open', [{ name: 'x', value: 'a"b,c', quoted: true }]],
])('%s', (header, directives) => {
  expect(parseCacheControl(header)).toEqual(directives);
});

test('seconds are read only where they are a number, and never beyond what caches count', () => {
  expect(deltaSeconds(parseCacheControl('max-age=abc'), 'max-age')).toBeUndefined();
  expect(deltaSeconds(parseCacheControl('max-age=99999999999'), 'max-age')).toBe(2_147_483_648);
});

test('dates survive being written and read', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 4_102_444_800 }),
      (seconds) => void expect(parseHttpDate(formatHttpDate(seconds * 1000))).toBe(seconds * 1000),
    ),
  );
});

test.each([
  ['Sun, 06 Nov 1994 08:49:37 GMT', 784_111_777_000],
  ['Sunday, 06-Nov-94 08:49:37 GMT', 784_111_777_000],
  ['Sun Nov  6 08:49:37 1994', 784_111_777_000],
  ['Sun, 31 Feb 1994 08:49:37 GMT', undefined],
  ['1994-11-06', undefined],
  ['Sun, 06 Nov 1994 25:49:37 GMT', undefined],
])('HTTP date %s', (written, milliseconds) => {
  expect(parseHttpDate(written)).toBe(milliseconds);
});
