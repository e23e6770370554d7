/** The lines that may stand next, before those that were found so far. */
import {
  bitsWithout,
  bothBits,
  countBits,
  eitherBits,
  hasBits,
  isWithin,
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
  covers: Bits;
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
  const alike = sortTerms(problem, state, { kind, terms: problem.kinds[kind] ?? [], yields });
  const chosen = alike.filter(({ values }) => agrees(values, gives));
  if (chosen.length === 0) return undefined;
  const covers = chosen.map((each) => each.covers).reduce(eitherBits);
  return { kind, gives, yields, covers, terms: chosen.flatMap(({ terms }) => terms) };
}

/** Whether some of the values are to be given, and none is another. */
const agrees = (values: readonly number[], gives: ReadonlyMap<number, number>): boolean =>
  [...gives].every(([property, value]) => values[property] === FREE || values[property] === value) &&
  [...gives].some(([property]) => values[property] !== FREE);

/** The terms of a kind, by what each property of what they name has to be. */
function sortTerms(
  problem: LineProblem,
  { undecided }: State,
  {
    kind,
    terms,
    yields,
  }: { readonly kind: number; readonly terms: readonly Term[]; readonly yields: boolean },
): Alike[] {
  const byValues = new Map<string, Alike>();
  const open = undecided.map((bits, property) =>
    yields ? bothBits(bits, problem.weak[property] ?? bits) : bits,
  );
  for (const term of terms) {
    const values = open.map((bits, property) => {
      const others = (kind > 0 ? problem.byPath : problem.byType)[property];
      if (others && hasBits(bothBits(bothBits(term.groups, bits), others))) return MIXED;
      return valueIn(term.groups, bits, problem.wants[property]);
    });
    if (!values.some((value) => value > 0)) continue;
    const mark = values.join();
    const known = byValues.get(mark);
    if (known) {
      known.terms.push(term);
      known.covers = eitherBits(known.covers, term.groups);
    } else byValues.set(mark, { values, terms: [term], covers: term.groups });
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
