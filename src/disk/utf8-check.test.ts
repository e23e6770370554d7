import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Utf8Check } from './utf8-check.js';

const decodes = (bytes: Uint8Array): boolean => {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    return true;
  } catch {
    return false;
  }
};

/** Texts, of which some bytes are others or missing. */
const spoiled = fc
  .tuple(
    fc.string({ unit: 'binary', maxLength: 12 }),
    fc.array(fc.tuple(fc.nat(40), fc.nat(255)), { maxLength: 2 }),
  )
  .map(([text, spots]) => {
    const bytes = Buffer.from(text);
    for (const [at, byte] of spots) if (at < bytes.length) bytes[at] = byte;
    return bytes;
  });

it('says of bytes in any pieces what a decoder says of the whole', () => {
  const seen = new Set<boolean>();
  fc.assert(
    fc.property(
      fc.oneof(
        spoiled,
        fc.uint8Array({ maxLength: 8 }),
        fc
          .subarray([0xf0, 0x9f, 0x98, 0x80, 0xc3, 0xa4, 0xed, 0xa0, 0x80])
          .map((some) => Uint8Array.from(some)),
      ),
      fc.array(fc.nat(5), { maxLength: 12 }),
      (bytes, cuts) => {
        const check = new Utf8Check();
        let at = 0;
        for (const length of cuts) check.add(bytes.subarray(at, (at += length)));
        check.add(bytes.subarray(at));
        seen.add(decodes(bytes));
        expect(check.holds()).toBe(decodes(bytes));
      },
    ),
    { numRuns: 4000, seed: 11 },
  );
  expect(seen.size).toBe(2);
});
