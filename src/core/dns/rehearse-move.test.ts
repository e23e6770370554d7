import { expect, it } from 'vitest';
import fc from 'fast-check';
import { OLD_ZONES, playMove, type Move } from './rehearse-move.js';

const move = fc.record({
  at: fc.integer({ min: 10, max: 500 }),
  ttls: fc.record({
    parentNs: fc.integer({ min: 1, max: 300 }),
    zoneNs: fc.integer({ min: 1, max: 300 }),
    record: fc.integer({ min: 1, max: 300 }),
  }),
  newRecord: fc.integer({ min: 1, max: 300 }),
  oldZone: fc.constantFrom(...OLD_ZONES),
});

it('nobody who keeps to the TTLs comes to the old place after the computed moment, and everybody has moved by it', () => {
  fc.assert(
    fc.property(move, fc.integer({ min: 1, max: 100 }), fc.nat(), (given, between, seed) => {
      const { visitors, bound } = playMove(given, 12, between, seed);
      for (const { lastOld = 0, asks, places } of visitors) {
        expect(lastOld).toBeLessThanOrEqual(bound);
        const after = places.filter((_, at) => (asks[at] ?? 0) > bound);
        expect(after.every((place) => place === 'new')).toBe(true);
        // A visitor that has come to the new place by its own resolver may be sent back by none.
        if (given.oldZone !== 'new records')
          expect(places.slice(places.indexOf('new')).includes('old') && places.includes('new')).toBe(false);
      }
    }),
    { seed: 4, numRuns: 200 },
  );
});

it('an old zone with the new records moves visitors sooner than one that keeps the old, and none without an answer', () => {
  const given = (oldZone: Move['oldZone']): Move => ({
    at: 100,
    ttls: { parentNs: 300, zoneNs: 300, record: 20 },
    newRecord: 20,
    oldZone,
  });
  const [old, fresh, removed] = OLD_ZONES.map((zone) => playMove(given(zone), 40, 10, 5));
  expect(fresh?.lastMoved).toBeLessThan(old?.lastMoved ?? 0);
  const failures = (played: typeof old): number =>
    played?.visitors.flatMap(({ places }) => places).filter((place) => place === 'failure').length ?? 0;
  expect([failures(old), failures(fresh), failures(removed) > 0]).toEqual([0, 0, true]);
});
