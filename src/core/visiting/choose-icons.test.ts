/** Which icons Chromium 156 was seen to ask for, by what pages say and what the files have. */
import { expect, test } from 'vitest';
import { fitOf, inOrder, isWorthTrying, readSizes, sizesOf, type IconCandidate } from './choose-icons.js';

type Real = readonly number[] | 'any' | 'missing';

/** @param icons each by its `sizes`, its type, and what it really has */
function ask(icons: readonly (readonly [sizes: string, type: string, real: Real])[]): number[] {
  const candidates = icons.map(([sizes, type], at): IconCandidate => ({
    url: String(at),
    sizes: readSizes(sizes, type),
  }));
  const asked: number[] = [];
  let best = 0;
  for (const candidate of inOrder(candidates)) {
    if (!isWorthTrying(candidate, best)) break;
    const at = Number(candidate.url);
    asked.push(at);
    const real = icons[at]?.[2] ?? 'missing';
    if (real !== 'missing') best = Math.max(best, fitOf(real));
  }
  return asked;
}

const png = (size: number, sizes = `${size}x${size}`, type = ''): readonly [string, string, Real] => [
  sizes,
  type,
  [size],
];
const SVG = ['', 'image/svg+xml', 'any'] as const;
const BOTH = [16, 32];

test.each<[string, readonly (readonly [string, string, Real])[], readonly number[]]>([
  ['the one of 32 pixels', [png(16), png(32)], [1]],
  ['whatever the order', [png(32), png(16)], [0]],
  ['a graphic before all sizes', [['any', 'image/svg+xml', 'any'], png(32)], [0]],
  ['a graphic by its type', [png(32), SVG], [1]],
  ['of many the one of 32', [png(16), png(32), png(48), png(192)], [1]],
  ['without sizes all of them, the last first', [png(16, ''), png(32, '')], [1, 0]],
  [
    'two graphics without a word',
    [
      ['', '', 'any'],
      ['', '', 'any'],
    ],
    [1, 0],
  ],
  ['the next one where one is missing', [['32x32', '', 'missing'], png(16)], [0, 1]],
  ['of large ones the smaller', [png(192), png(180)], [1]],
  ['a graphic, and what promises as much', [png(32, '', 'image/png'), ['any', '', 'any']], [1, 0]],
  ['one that says nothing, and the one that says it fits', [png(16, ''), png(32)], [0, 1]],
  ['one that says more than it has', [png(48), SVG, png(16, '16x16 32x32')], [2, 1]],
  ['of those without 32 the one of 16', [png(24), png(48), png(16), png(64)], [2]],
  ['48 before 24', [png(24), png(48)], [1]],
  ['64 before 96', [png(64), png(96)], [0]],
  ['an icon file with both sizes ends it', [['', '', BOTH], png(32), png(16)], [0]],
  ['one with the small size alone does not', [['', '', [16]], png(32), png(16)], [0, 1]],
  ['any size of a file beside a graphic', [['any', '', BOTH], SVG], [1, 0]],
  ['sizes that are wrong', [png(32, '16x16'), png(16, '32x32')], [1]],
  ['a large one without sizes', [png(192, ''), png(48)], [0, 1]],
])('%s', (_, icons, asked) => {
  expect(ask(icons)).toEqual(asked);
});

test('the first bytes of a picture tell its sizes', () => {
  const png32 = Buffer.alloc(30);
  png32.write('89504e470d0a1a0a0000000d49484452', 0, 'hex');
  png32.writeUInt32BE(32, 16);
  expect(sizesOf(png32)).toEqual([32]);
  const ico = Buffer.alloc(6 + 32);
  ico.writeUInt16LE(1, 2);
  ico.writeUInt16LE(2, 4);
  ico[6] = 16;
  ico[22] = 0;
  expect(sizesOf(ico)).toEqual([16, 256]);
  expect(sizesOf(Buffer.from('GIF89a\x10\x00\x10\x00', 'latin1'))).toEqual([16]);
  expect(sizesOf(Buffer.from('<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg"/>'))).toBe('any');
  for (const bytes of ['', '\x89PNG', 'GIF8', '\0\0\x01\0', 'plain'])
    expect(sizesOf(Buffer.from(bytes, 'latin1'))).toSatisfy(
      (sizes) => sizes === undefined || sizes.length === 0,
    );
});
