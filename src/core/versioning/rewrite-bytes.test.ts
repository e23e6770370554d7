import fc from 'fast-check';
import { expect, test } from 'vitest';
import { rewriteText } from './rename-reference.js';
import { rewriteBytes } from './rewrite-bytes.js';

const EDIT = (text: string) => {
  const at = text.indexOf('x.png');
  return [{ at, length: 5, text: 'x.4f1c2a9b.png' }];
};

test.each<[charset: string, bytes: Buffer]>([
  ['utf-8', Buffer.from('<p>Grüße 𝄞 <img src="x.png"> — Ende')],
  ['utf-8', Buffer.concat([Buffer.from([0xef, 0xbb, 0xbf]), Buffer.from('ü<img src="x.png">')])],
  ['utf-8', Buffer.concat([Buffer.from([0xff, 0xc3, 0x28, 0xf0, 0x9d]), Buffer.from('<img src="x.png">')])],
  ['windows-1252', Buffer.from('Gr\xfc\xdfe \x80 <img src="x.png"> \x97', 'latin1')],
  [
    'shift_jis',
    Buffer.concat([Buffer.from([0x83, 0x5c, 0x82, 0xa0, 0xb1]), Buffer.from('<img src="x.png">')]),
  ],
  ['utf-16le', Buffer.from('\ufeffGrüße 𝄞 <img src="x.png">', 'utf16le')],
  ['utf-16be', Buffer.from('Grüße 𝄞 <img src="x.png">', 'utf16le').swap16()],
])('an edit in %s changes what it names and no other byte', (charset, bytes) => {
  const decode = (some: Buffer): string => new TextDecoder(charset).decode(some);
  const edits = EDIT(decode(bytes));
  const rewritten = rewriteBytes(bytes, charset, edits);
  expect(decode(rewritten)).toBe(rewriteText(decode(bytes), edits));
  const width = charset.startsWith('utf-16') ? 2 : 1;
  expect(rewritten.length - bytes.length).toBe(9 * width);
});

test('edits of bytes are edits of their text, wherever they are', () => {
  fc.assert(
    fc.property(
      fc.string({ unit: 'binary', maxLength: 60 }),
      fc.array(fc.tuple(fc.nat(59), fc.nat(5)), { maxLength: 4 }),
      (given, places) => {
        const bytes = Buffer.from(given);
        const text = bytes.toString();
        // Apart, in order, and never inside of a pair.
        let from = 0;
        const edits = places
          .sort((a, b) => a[0] - b[0])
          .flatMap(([at, length]) => {
            const isWhole = (n: number): boolean => !/[\udc00-\udfff]/.test(text.charAt(n));
            if (at < from || at + length > text.length || !isWhole(at) || !isWhole(at + length)) return [];
            from = at + length + 1;
            return [{ at, length, text: '[new]' }];
          });
        if (text.startsWith('\ufeff')) return;
        expect(rewriteBytes(bytes, 'utf-8', edits).toString()).toBe(rewriteText(text, edits));
      },
    ),
    { seed: 20261126, numRuns: 500 },
  );
});
