import { createHash } from 'node:crypto';
import { expect, it } from 'vitest';
import { chance, SEED } from '../../../test/helpers/chance.js';
import { DigestSet } from './digest-set.js';

const digestOf = (n: number): string => createHash('sha256').update(String(n)).digest('hex');

it(`holds what a set of texts holds, and lets each be claimed once (FENESTRA_SEED=${SEED})`, () => {
  for (const expected of [0, 5000]) {
    const next = chance(`digests ${expected}`);
    const held = new Set<string>();
    const set = new DigestSet(SEED, expected);
    for (let n = 0; n < 6000; n++) {
      const digest = digestOf(Math.floor(next() * 4000));
      expect(set.add(digest)).toBe(!held.has(digest));
      held.add(digest);
    }
    const dropped = new Set([...held].filter(() => next() < 0.2));
    for (const digest of [...dropped, ...dropped, digestOf(-1)]) set.drop(digest);
    // Each try, as after one that failed, may claim all of them.
    for (let attempt = 0; attempt < 2; attempt++) {
      const { claim, left } = set.claims();
      expect(left()).toBe(held.size - dropped.size);
      for (let n = -1; n < 4000; n++) {
        const digest = digestOf(n);
        expect(claim(digest)).toBe(held.has(digest) && !dropped.has(digest));
        expect(claim(digest)).toBe(false);
      }
      expect(left()).toBe(0);
    }
    // What was dropped is not taken for new again.
    for (const digest of dropped) expect(set.add(digest)).toBe(false);
  }
});

it('tells digests apart that begin alike, and those that no digest begins like', () => {
  const set = new DigestSet(SEED);
  const [a, b] = [`${'0'.repeat(23)}1${'0'.repeat(40)}`, `${'0'.repeat(23)}2${'0'.repeat(40)}`];
  expect([set.add(a), set.add(b), set.add(a), set.add('0'.repeat(64))]).toEqual([true, true, false, true]);
});
