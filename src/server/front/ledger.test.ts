import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Ledger } from './ledger.js';
import type { Visitor } from './visitor.js';

it('never holds more than its limit, counts what is shared once, and lets small holders in before large ones', () => {
  const step = fc.record({
    visitor: fc.nat(4),
    bytes: fc.integer({ min: 1, max: 60 }),
    shared: fc.option(fc.nat(3), { nil: undefined }),
    gives: fc.boolean(),
    which: fc.nat(),
  });
  fc.assert(
    fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
      const ledger = new Ledger(100);
      const visitors: Visitor[] = Array.from({ length: 5 }, (_, n) => ({ address: String(n) }));
      const buffers = [10, 20, 30, 40].map((size) => Buffer.alloc(size));
      /** What is held, by the test's own account. */
      const held = new Map<number, { visitor: number; bytes: number; buffer?: Buffer; give: () => void }>();
      let next = 0;
      const total = (): number => {
        const unique = new Set<Buffer>();
        let sum = 0;
        for (const { bytes, buffer } of held.values()) {
          if (buffer && unique.has(buffer)) continue;
          if (buffer) unique.add(buffer);
          sum += bytes;
        }
        return sum;
      };
      const of = (visitor: number): number =>
        [...held.values()]
          .filter((each) => each.visitor === visitor)
          .reduce((sum, { bytes }) => sum + bytes, 0);
      for (const { visitor, bytes: wanted, shared, gives, which } of steps) {
        if (gives && held.size > 0) {
          const id = [...held.keys()][which % held.size] ?? -1;
          held.get(id)?.give();
          held.get(id)?.give();
          held.delete(id);
        } else {
          const buffer = shared === undefined ? undefined : buffers[shared];
          const bytes = buffer?.length ?? wanted;
          const id = next++;
          const before = of(visitor);
          const largest = Math.max(...visitors.map((_, n) => (n === visitor ? 0 : of(n))));
          const give = ledger.take({
            visitor: visitors[visitor] as Visitor,
            bytes,
            ...(buffer ? { shared: buffer } : {}),
            cut: () => held.delete(id),
          });
          if (give) held.set(id, { visitor, bytes, ...(buffer ? { buffer } : {}), give });
          // Whoever is refused would hold more than anybody else did.
          else expect(before + bytes).toBeGreaterThan(largest);
        }
        expect(ledger.total).toBe(total());
        expect(ledger.total).toBeLessThanOrEqual(100);
      }
      for (const { give } of held.values()) give();
      expect(ledger.total).toBe(0);
    }),
    { seed: 20261130, numRuns: 1000 },
  );
});

it('takes from one that holds most for the sake of one that holds next to nothing', () => {
  const ledger = new Ledger(100);
  const [large, small] = [{ address: 'a' }, { address: 'b' }];
  const cut: number[] = [];
  for (let n = 0; n < 10; n++) ledger.take({ visitor: large, bytes: 10, cut: () => cut.push(n) });
  expect(ledger.take({ visitor: large, bytes: 10, cut: () => undefined })).toBeUndefined();
  expect(ledger.take({ visitor: small, bytes: 10, cut: () => undefined })).toBeDefined();
  expect(cut).toHaveLength(10);
});
