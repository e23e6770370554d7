import { expect, it } from 'vitest';
import { decideClaim } from './decide-claim.js';

it.each([
  ['alone', [['me', '2']], 'held'],
  ['unseen', [['you', '1']], 'unseen'],
  ['nobody is seen', [], 'unseen'],
  [
    'the earliest',
    [
      ['me', '1'],
      ['you', '2'],
    ],
    'wait',
  ],
  [
    'later than another',
    [
      ['you', '1'],
      ['me', '2'],
    ],
    'busy',
  ],
  [
    'at the same moment the names decide',
    [
      ['you', '1'],
      ['me', '1'],
    ],
    'wait',
  ],
] as const)('%s', (_name, claims, outcome) => {
  const listed = claims.map(([name, lastModified]) => ({ name, lastModified }));
  expect(decideClaim(listed, 'me').outcome).toBe(outcome);
});

/** Where a publisher is. The store's answers, and what is on its way to the store, are the rest of the state. */
type Step = 'put' | 'look' | 'work' | 'withdraw' | 'over';

interface Publisher {
  readonly step: Step;
  /** How often it has looked. */
  readonly looks: number;
  /** What it has still to write, and whether it has looked since it wrote. */
  readonly stages: number;
  readonly hasLooked: boolean;
  /** Whether its claim has ended by itself since it last looked. */
  readonly isExpired: boolean;
}

interface State {
  readonly publishers: readonly Publisher[];
  /** Claims in the store: by publisher, the store's time. */
  readonly claims: Readonly<Record<number, number>>;
  /** Puts whose sender has given up on them, and that may arrive any time. */
  readonly late: readonly number[];
  /** How many more things may go wrong. */
  readonly faults: number;
}

const LOOKS = 3;
const START: Publisher = { step: 'put', looks: 0, stages: 2, hasLooked: false, isExpired: false };

/** Every state that can come next, with what was done. */
function* next(state: State): Generator<State> {
  const { publishers, claims, late, faults } = state;
  const set = (at: number, change: Partial<Publisher>, more: Partial<State> = {}): State => ({
    ...state,
    ...more,
    publishers: publishers.map((each, number) => (number === at ? { ...each, ...change } : each)),
  });
  const without = (at: number): State['claims'] =>
    Object.fromEntries(Object.entries(claims).filter(([number]) => Number(number) !== at));
  for (const [at, { step, looks, stages, hasLooked, isExpired }] of publishers.entries()) {
    const listed = Object.entries(claims).map(([number, time]) => ({
      name: String(number),
      lastModified: String(1000 + time),
    }));
    if (step === 'put')
      // The clocks of the store differ: a claim may be dated before any that is there, or after.
      for (const time of [
        Math.min(0, ...Object.values(claims)) - 1,
        Math.max(0, ...Object.values(claims)) + 1,
      ]) {
        yield set(at, { step: 'look' }, { claims: { ...claims, [at]: time } });
        if (faults === 0) continue;
        // The answer is lost, so it is put again; or the request itself is late.
        yield set(at, {}, { claims: { ...claims, [at]: time }, faults: faults - 1 });
        yield set(at, {}, { late: [...late, at], faults: faults - 1 });
      }
    if (step === 'look') {
      const { outcome } = decideClaim(listed, String(at));
      if (outcome === 'held') yield set(at, { step: 'work', hasLooked: true, isExpired: false, looks: 0 });
      else
        yield set(
          at,
          outcome === 'busy' || looks + 1 === LOOKS ? { step: 'withdraw' } : { looks: looks + 1 },
        );
      if (faults > 0) yield set(at, { step: 'withdraw' }, { faults: faults - 1 });
    }
    if (step === 'work') {
      if (stages === 0) yield set(at, { step: 'withdraw' });
      // It looks again before each stage, whether its claim still stands alone.
      else if (hasLooked) yield set(at, { stages: stages - 1, hasLooked: false });
      else if (decideClaim(listed, String(at)).outcome === 'held')
        yield set(at, { hasLooked: true, isExpired: false, looks: 0 });
      else yield set(at, looks + 1 === LOOKS ? { step: 'withdraw' } : { looks: looks + 1 });
      // It is held up for so long that its claim ends.
      if (faults > 0 && at in claims && !isExpired)
        yield set(at, { isExpired: true }, { claims: without(at), faults: faults - 1 });
    }
    if (step === 'withdraw') {
      yield set(at, { step: 'over' }, { claims: without(at) });
      if (faults > 0) yield set(at, { step: 'over' }, { faults: faults - 1 });
    }
  }
  for (const at of new Set(late)) {
    const rest = [...late];
    rest.splice(rest.indexOf(at), 1);
    yield { ...state, late: rest, claims: { ...claims, [at]: 0 } };
  }
}

/** Has seen its claim stand alone, is about to write, and was not held up since. */
const holds = ({ step, hasLooked, isExpired }: Publisher): boolean =>
  step === 'work' && hasLooked && !isExpired;

it.each([
  [2, 3],
  [3, 1],
] as const)(
  '%i publishers, %i things that go wrong: never do two hold at once, in any order of events',
  (count, faults) => {
    const seen = new Set<string>();
    const left: State[] = [{ publishers: Array<Publisher>(count).fill(START), claims: {}, late: [], faults }];
    let wins = 0;
    for (let state = left.pop(); state; state = left.pop()) {
      const id = JSON.stringify(state);
      if (seen.has(id)) continue;
      seen.add(id);
      const { publishers } = state;
      const holding = publishers.filter(holds).length;
      if (holding > 1) expect(state).toBe('a state in which one holds at most');
      if (holding === 1) wins++;
      // Whoever has lost their claim writes no more than what was under way.
      for (const following of next(state)) {
        for (const [at, now] of following.publishers.entries()) {
          const before = publishers[at];
          if (before && now.stages < before.stages && before.step === 'work' && !before.hasLooked)
            expect(before).toBe('one that has looked');
        }
        left.push(following);
      }
    }
    expect(seen.size).toBeGreaterThan(1000);
    expect(wins).toBeGreaterThan(100);
  },
);

it('without anything going wrong somebody wins, whoever comes when', () => {
  const seen = new Map<string, boolean>();
  /** Whether every way to the end from here has a winner. */
  const always = (state: State, hasWon: boolean): boolean => {
    const id = JSON.stringify([state, hasWon]);
    const known = seen.get(id);
    if (known !== undefined) return known;
    const won = hasWon || state.publishers.some(holds);
    const following = [...next(state)].filter(({ publishers }) => isFair(state, publishers));
    const result = following.length === 0 ? won : following.every((each) => always(each, won));
    seen.set(id, result);
    return result;
  };
  // Nobody looks for the last time before those who came later have looked at all, and withdrawn.
  const isFair = ({ publishers: before }: State, after: readonly Publisher[]): boolean =>
    after.every(({ looks, step }, at) => {
      const was = before[at];
      const looksAgain = was?.step === 'look' && (looks > was.looks || step === 'withdraw') && was.looks > 0;
      return (
        !looksAgain ||
        !before.some(
          (each, other) =>
            other !== at && (each.step === 'withdraw' || (each.step === 'look' && each.looks < was.looks)),
        )
      );
    });
  expect(always({ publishers: [START, START], claims: {}, late: [], faults: 0 }, false)).toBe(true);
});
