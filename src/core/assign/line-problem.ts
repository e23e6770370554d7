/** What the search for lines goes over: what each group of objects has to have, and lines that bring it about. */
import { allBits, bitsWithout, bothBits, hasBits, type Bits } from './bits.js';
import type { Term } from './rule-terms.js';

/** By property and group. */
export interface LineProblem {
  readonly size: number;
  /** The number of the value that it has to have; 0 for any, NONE for none at all. */
  readonly wants: readonly Int32Array[];
  /** The number of the value that it has without any line; NONE for none, others below for what nobody wants. */
  readonly has: readonly Int32Array[];
  /** Where a line that yields to defaults has its say. */
  readonly weak: readonly Bits[];
  /** Where lines with a media range have none. */
  readonly byPath: readonly Bits[];
  /** Where lines without one would have another say as well. */
  readonly byType: readonly Bits[];
  /** Patterns; media ranges; then the patterns within each range. */
  readonly kinds: readonly (readonly Term[])[];
}

export interface FoundLine {
  readonly kind: number;
  readonly terms: readonly Term[];
  /** The number of the value, by property. */
  readonly gives: ReadonlyMap<number, number>;
  readonly yields: boolean;
}

export const NONE = -1;

/** A line that may stand in the list. */
export interface Line {
  readonly kind: number;
  /** Those that come out alike; which of them are written is settled in the end. */
  readonly terms: readonly Term[];
  readonly covers: Bits;
  readonly gives: ReadonlyMap<number, number>;
  readonly yields: boolean;
}

/** What the last lines of a list leave to those before them. */
export interface State {
  readonly undecided: readonly Bits[];
  readonly line: Line | undefined;
  readonly above: State | undefined;
  readonly yields: boolean;
}

/** The groups of which a line settles a property. */
export const reachOf = ({ weak }: LineProblem, { covers, yields }: Line, property: number): Bits =>
  yields ? bothBits(covers, weak[property] ?? covers) : covers;

/** Before any line. */
export const startOfSearch = ({ size, wants }: LineProblem): State => ({
  undecided: wants.map(() => allBits(size)),
  line: undefined,
  above: undefined,
  yields: false,
});

export function follow(problem: LineProblem, state: State, line: Line): State {
  const undecided = state.undecided.map((bits, property) =>
    line.gives.has(property) ? bitsWithout(bits, reachOf(problem, line, property)) : bits,
  );
  return { undecided, line, above: state, yields: line.yields };
}

/** Whether all that is wrong without lines is decided. */
export const isDone = ({ undecided }: State, wrong: readonly Bits[]): boolean =>
  wrong.every((bits, property) => !hasBits(bothBits(bits, undecided[property] ?? bits)));
