/** The lines that may stand next, before those that were found so far. */
import {
  addBits,
  bitsWithout,
  bothBits,
  countBits,
  eitherBits,
  hasBits,
  isWithin,
  meet,
  noBits,
  type Bits,
} from './bits.js';
import { NONE, reachOf, type Line, type LineProblem, type State } from './line-problem.js';
import type { Term } from './rule-terms.js';

/** What a property of some objects has to be where they differ, and where nothing is left to decide. */
const MIXED = -2;
const FREE = 0;

/** Terms that agree in what each property of what they name has to be. */
interface Alike {
  readonly values: readonly number[];
  readonly terms: Term[];
  readonly covers: Bits;
}

interface Choice {
  readonly chosen: readonly Alike[];
  readonly gives: ReadonlyMap<number, number>;
}

/** The lines that may stand before those that are there already, without those that another does the work of. */
export function listMoves(problem: LineProblem, state: State, wrong: readonly Bits[]): Line[] {
  const strong = wrong.some((bits, property) =>
    hasBits(bitsWithout(bothBits(bits, state.undecided[property] ?? bits), problem.weak[property] ?? bits)),
  );
  const ways = state.yields ? [true] : strong ? [false] : [false, true];
  const moves: { readonly line: Line; readonly reach: readonly Bits[]; readonly size: number }[] = [];
  for (const yields of ways)
    for (const [kind, terms] of problem.kinds.entries()) {
      const alike = sortTerms(problem, state, { kind, terms, yields });
      for (const { chosen, gives } of listChoices(alike)) {
        const line: Line = {
          kind,
          yields,
          gives,
          terms: chosen.flatMap((each) => each.terms),
          covers: chosen.map(({ covers }) => covers).reduce(eitherBits),
        };
        const reach = state.undecided.map((bits, property) =>
          gives.has(property) ? bothBits(bits, reachOf(problem, line, property)) : noBits(problem.size),
        );
        const size = reach.reduce((sum, bits) => sum + countBits(bits), 0);
        if (size > 0) moves.push({ line, reach, size });
      }
    }
  moves.sort((a, b) => b.size - a.size || a.line.kind - b.line.kind);
  const kept: typeof moves = [];
  for (const move of moves) {
    const isLess = kept.some(
      ({ line, reach }) =>
        line.yields === move.line.yields &&
        move.reach.every((bits, property) => isWithin(bits, reach[property] ?? bits)),
    );
    if (!isLess) kept.push(move);
  }
  return kept.map(({ line }) => line);
}

/** A line of some kind that gives just that wherever it may; undefined where it may nowhere. */
export function lineGiving(
  problem: LineProblem,
  state: State,
  { kind, gives, yields }: Pick<Line, 'kind' | 'gives' | 'yields'>,
): Line | undefined {
  const open = openTo(problem, state, { kind, yields });
  const covers = noBits(problem.size);
  const terms = (problem.kinds[kind] ?? []).filter((term) => {
    let isUseful = false;
    for (const [property, value] of gives) {
      const needed = valueOf(problem, term, open[property], property);
      if (needed !== FREE && needed !== value) return false;
      isUseful ||= needed === value;
    }
    if (isUseful) addBits(covers, term.groups);
    return isUseful;
  });
  return terms.length === 0 ? undefined : { kind, gives, yields, covers, terms };
}

/** Whether some of the values are to be given, and none is another. */
const agrees = (values: readonly number[], gives: ReadonlyMap<number, number>): boolean =>
  [...gives].every(([property, value]) => values[property] === FREE || values[property] === value) &&
  [...gives].some(([property]) => values[property] !== FREE);

/** What of a property lines may still decide, and what of that lines of a kind may not. */
interface Open {
  readonly undecided: Bits;
  readonly reserved: Bits;
}

function openTo(
  { weak, byPath, byType }: LineProblem,
  { undecided }: State,
  { kind, yields }: { readonly kind: number; readonly yields: boolean },
): Open[] {
  return undecided.map((bits, property) => {
    const open = yields ? bothBits(bits, weak[property] ?? bits) : bits;
    const others = (kind > 0 ? byPath : byType)[property];
    return { undecided: open, reserved: others ? bothBits(open, others) : new Uint32Array(open.length) };
  });
}

function valueOf(problem: LineProblem, { groups }: Term, open: Open | undefined, property: number): number {
  if (!open || meet(groups, open.reserved)) return MIXED;
  return valueIn(groups, open.undecided, problem.wants[property]);
}

/** The terms of a kind, by what each property of what they name has to be. */
function sortTerms(
  problem: LineProblem,
  state: State,
  {
    kind,
    terms,
    yields,
  }: { readonly kind: number; readonly terms: readonly Term[]; readonly yields: boolean },
): Alike[] {
  const byValues = new Map<string, Alike>();
  const open = openTo(problem, state, { kind, yields });
  for (const term of terms) {
    const values = open.map((each, property) => valueOf(problem, term, each, property));
    if (!values.some((value) => value > 0)) continue;
    const mark = values.join();
    const known = byValues.get(mark);
    if (known) {
      known.terms.push(term);
      addBits(known.covers, term.groups);
    } else byValues.set(mark, { values, terms: [term], covers: term.groups.slice() });
  }
  return [...byValues.values()];
}

function valueIn(groups: Bits, undecided: Bits, wants: Int32Array | undefined): number {
  let value = FREE;
  for (let index = 0; index < groups.length; index++)
    for (let word = (groups[index] ?? 0) & (undecided[index] ?? 0); word !== 0; word &= word - 1) {
      const want = wants?.[index * 32 + 31 - Math.clz32(word & -word)] ?? 0;
      if (want === 0 || want === value) continue;
      if (want === NONE || value !== FREE) return MIXED;
      value = want;
    }
  return value;
}

/** Each set of values that some terms agree in, with all terms that have them. */
function listChoices(all: readonly Alike[]): Choice[] {
  const known = new Set<string>();
  const choices: Choice[] = [];
  for (const { values } of all) {
    const useful = values.flatMap((value, property) => (value > 0 ? [property] : []));
    for (let set = (1 << useful.length) - 1; set > 0; set--) {
      const properties = useful.filter((_, at) => (set & (1 << at)) !== 0);
      const mark = properties.map((property) => `${property}=${values[property] ?? FREE}`).join();
      if (known.has(mark)) continue;
      known.add(mark);
      const gives = new Map(properties.map((each) => [each, values[each] ?? FREE]));
      choices.push({ chosen: all.filter((each) => agrees(each.values, gives)), gives });
    }
  }
  return choices;
}
