/**
 * The search for the fewest lines that give every group of objects what it has to have. It goes from the last line to
 * the first: a line may name what comes out alike, apart from what later lines decide.
 */
import { addBit, allBits, bitsWithout, bothBits, countBits, eachBit, eitherBits, hasBit } from './bits.js';
import { hasBits, isWithin, noBits, type Bits } from './bits.js';
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
  readonly terms: readonly Term[];
  /** The number of the value, by property. */
  readonly gives: ReadonlyMap<number, number>;
  readonly yields: boolean;
}

export const NONE = -1;
/** States that are followed side by side. */
const WIDTH = 16;
const MAX_LINES = 60;

interface Line {
  readonly kind: number;
  /** Those that come out alike; which of them are written is settled in the end. */
  readonly terms: readonly Term[];
  readonly covers: Bits;
  readonly gives: ReadonlyMap<number, number>;
  readonly yields: boolean;
}

interface State {
  readonly undecided: readonly Bits[];
  readonly line: Line | undefined;
  readonly above: State | undefined;
  readonly yields: boolean;
}

/** In the order of a config. Where some groups cannot be told apart, what can be is found. */
export function searchLines(problem: LineProblem): FoundLine[] {
  const wrong = problem.wants.map((wants, property) =>
    bitsWhere(problem.size, (group) => {
      const want = wants[group] ?? 0;
      return want !== 0 && want !== problem.has[property]?.[group];
    }),
  );
  const first = searchOnce(problem, wrong, { width: WIDTH, most: MAX_LINES, score: byValues });
  if (first.length === 0) return first;
  // What was passed over early may have been shorter: it is looked for where that is quick.
  let best = first;
  const terms = problem.kinds.reduce((sum, kind) => sum + kind.length, 0);
  for (const again of terms * problem.size > MAX_AGAIN ? [] : AGAIN) {
    const found = searchOnce(problem, wrong, { ...again, most: best.length - 1 });
    if (found.length > 0 && found.length < best.length) best = found;
  }
  return best;
}

const MAX_AGAIN = 100_000;

interface Search {
  readonly width: number;
  /** More lines are no use. */
  readonly most: number;
  readonly score: (left: Left) => number;
}

/** What is missing still. */
interface Left {
  /** At least so many lines are. */
  readonly lines: number;
  readonly values: number;
  readonly groups: number;
}

const byValues = ({ lines, values, groups }: Left): number => lines * 1e6 + values * 1e4 + groups;
const AGAIN = [
  { width: WIDTH, score: ({ lines, values, groups }: Left): number => groups + values * 2 + lines * 4 },
  { width: 4 * WIDTH, score: byValues },
];

/** None where there is none so short; what comes nearest where there is none at all. */
function searchOnce(
  problem: LineProblem,
  wrong: readonly Bits[],
  { width, most, score }: Search,
): FoundLine[] {
  let level: State[] = [
    { undecided: wrong.map(() => allBits(problem.size)), line: undefined, above: undefined, yields: false },
  ];
  let nearest = level[0];
  for (let lines = 0; lines <= most && level.length > 0; lines++) {
    const done = level.filter((state) => isDone(state, wrong));
    if (done.length > 0) return cheapest(done.map((state) => prune(problem, state)));
    nearest = level[0] ?? nearest;
    const next = new Map<string, { readonly state: State; readonly score: number }>();
    for (const state of level)
      for (const line of listMoves(problem, state, wrong)) {
        const then = follow(problem, state, line);
        const left = leftOf(problem, then, wrong);
        if (lines + 1 + left.lines > most) continue;
        const mark = `${then.yields}${then.undecided.map((bits) => bits.join()).join(';')}`;
        if (!next.has(mark)) next.set(mark, { state: then, score: score(left) });
      }
    level = [...next.values()]
      .sort((a, b) => a.score - b.score)
      .slice(0, width)
      .map(({ state }) => state);
  }
  return most === MAX_LINES && nearest ? prune(problem, nearest) : [];
}

const bitsWhere = (size: number, is: (group: number) => boolean): Bits => {
  const bits = noBits(size);
  for (let group = 0; group < size; group++) if (is(group)) addBit(bits, group);
  return bits;
};

const isDone = ({ undecided }: State, wrong: readonly Bits[]): boolean =>
  wrong.every((bits, property) => !hasBits(bothBits(bits, undecided[property] ?? bits)));

function leftOf({ wants }: LineProblem, { undecided }: State, wrong: readonly Bits[]): Left {
  let [lines, values, groups] = [0, 0, 0];
  for (const [property, bits] of wrong.entries()) {
    const left = bothBits(bits, undecided[property] ?? bits);
    const distinct = new Set<number>();
    eachBit(left, (group) => void distinct.add(wants[property]?.[group] ?? 0));
    lines = Math.max(lines, distinct.size);
    values += distinct.size;
    groups += countBits(left);
  }
  return { lines, values, groups };
}

function follow(problem: LineProblem, state: State, line: Line): State {
  const undecided = state.undecided.map((bits, property) =>
    line.gives.has(property) ? bitsWithout(bits, reachOf(problem, line, property)) : bits,
  );
  return { undecided, line, above: state, yields: line.yields };
}

/** The groups of which a line settles a property. */
const reachOf = ({ weak }: LineProblem, { covers, yields }: Line, property: number): Bits =>
  yields ? bothBits(covers, weak[property] ?? covers) : covers;

/** Impure, or nothing left to decide. */
const MIXED = -2;
const FREE = 0;

interface Signed {
  readonly signs: readonly number[];
  readonly terms: Term[];
  covers: Bits;
}

/** The lines that may stand before those that are there already, without those that another does the work of. */
function listMoves(problem: LineProblem, state: State, wrong: readonly Bits[]): Line[] {
  const strong = wrong.some((bits, property) =>
    hasBits(bitsWithout(bothBits(bits, state.undecided[property] ?? bits), problem.weak[property] ?? bits)),
  );
  const ways = state.yields ? [true] : strong ? [false] : [false, true];
  const moves: { readonly line: Line; readonly reach: readonly Bits[]; readonly size: number }[] = [];
  for (const yields of ways)
    for (const [kind, terms] of problem.kinds.entries()) {
      const signed = signTerms(problem, state, { kind, terms, yields });
      for (const { chosen, gives } of listChoices(signed)) {
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

/** The terms of a kind, by what each property of what they name has to be. */
function signTerms(
  problem: LineProblem,
  { undecided }: State,
  {
    kind,
    terms,
    yields,
  }: { readonly kind: number; readonly terms: readonly Term[]; readonly yields: boolean },
): Signed[] {
  const bySigns = new Map<string, Signed>();
  const open = undecided.map((bits, property) =>
    yields ? bothBits(bits, problem.weak[property] ?? bits) : bits,
  );
  for (const term of terms) {
    const signs = open.map((bits, property) => {
      const others = (kind > 0 ? problem.byPath : problem.byType)[property];
      if (others && hasBits(bothBits(bothBits(term.groups, bits), others))) return MIXED;
      return valueIn(term.groups, bits, problem.wants[property]);
    });
    if (!signs.some((sign) => sign > 0)) continue;
    const mark = signs.join();
    const known = bySigns.get(mark);
    if (known) {
      known.terms.push(term);
      known.covers = eitherBits(known.covers, term.groups);
    } else bySigns.set(mark, { signs, terms: [term], covers: term.groups });
  }
  return [...bySigns.values()];
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

/** Each set of values that some terms have in common, with all terms that have them. */
function listChoices(
  signed: readonly Signed[],
): { readonly chosen: readonly Signed[]; readonly gives: ReadonlyMap<number, number> }[] {
  const known = new Set<string>();
  const choices: { readonly chosen: readonly Signed[]; readonly gives: ReadonlyMap<number, number> }[] = [];
  for (const { signs } of signed) {
    const useful = signs.flatMap((sign, property) => (sign > 0 ? [property] : []));
    for (let set = (1 << useful.length) - 1; set > 0; set--) {
      const properties = useful.filter((_, at) => (set & (1 << at)) !== 0);
      const mark = properties.map((property) => `${property}=${signs[property] ?? 0}`).join();
      if (known.has(mark)) continue;
      known.add(mark);
      const chosen = signed.filter((each) => {
        const own = properties.map((property) => each.signs[property] ?? MIXED);
        return (
          own.some((sign) => sign !== FREE) &&
          own.every((sign, at) => sign === FREE || sign === signs[properties[at] ?? 0])
        );
      });
      choices.push({ chosen, gives: new Map(properties.map((each) => [each, signs[each] ?? 0])) });
    }
  }
  return choices;
}

/** From the last line on, each is left with what it alone brings about, in the fewest patterns. */
function prune(problem: LineProblem, state: State): FoundLine[] {
  const lines: Line[] = [];
  for (let at: State | undefined = state; at?.line; at = at.above) lines.unshift(at.line);
  const settled = problem.wants.map(() => noBits(problem.size));
  const found: FoundLine[] = [];
  for (const [at, line] of lines.entries()) {
    const needed = new Map<number, Bits>();
    for (const property of line.gives.keys()) {
      const open = bitsWithout(reachOf(problem, line, property), settled[property] ?? line.covers);
      const beneath = lines.slice(at + 1).filter(({ gives }) => gives.has(property));
      const bits = bitsWhere(problem.size, (group) => {
        const want = problem.wants[property]?.[group] ?? 0;
        if (want === 0 || !hasBit(open, group)) return false;
        const then = beneath.find((each) => hasBit(reachOf(problem, each, property), group));
        return want !== (then?.gives.get(property) ?? problem.has[property]?.[group]);
      });
      if (hasBits(bits)) needed.set(property, bits);
    }
    if (needed.size === 0) continue;
    const terms = cover(line.terms, [...needed.values()].reduce(eitherBits));
    const covers = terms.map(({ groups }) => groups).reduce(eitherBits);
    for (const property of needed.keys()) {
      const reach = reachOf(problem, { ...line, covers }, property);
      settled[property] = eitherBits(settled[property] ?? reach, reach);
    }
    const gives = new Map([...line.gives].filter(([property]) => needed.has(property)));
    found.unshift({ terms, gives, yields: line.yields });
  }
  return found;
}

/** Few terms that name all that is needed, simple ones before others. */
function cover(terms: readonly Term[], needed: Bits): Term[] {
  const chosen: Term[] = [];
  let left = needed;
  while (hasBits(left)) {
    let best: Term | undefined;
    let most = 0;
    for (const term of terms) {
      const worth = countBits(bothBits(term.groups, left)) / (6 + term.rank);
      if (worth > most) [best, most] = [term, worth];
    }
    if (!best) break;
    chosen.push(best);
    left = bitsWithout(left, best.groups);
  }
  // One that was taken early may have become superfluous.
  return chosen.filter(
    (term, at) =>
      !isWithin(
        bothBits(needed, term.groups),
        chosen
          .filter((_, other) => other !== at && !(other < at && isSpare(chosen, other, needed)))
          .map(({ groups }) => groups)
          .reduce(eitherBits, new Uint32Array(needed.length)),
      ),
  );
}

/** Whether the others name all that one does of what is needed. */
const isSpare = (chosen: readonly Term[], at: number, needed: Bits): boolean =>
  isWithin(
    bothBits(needed, chosen[at]?.groups ?? needed),
    chosen
      .filter((_, other) => other !== at)
      .map(({ groups }) => groups)
      .reduce(eitherBits, new Uint32Array(needed.length)),
  );

const costOf = (lines: readonly FoundLine[]): number =>
  lines.reduce(
    (sum, { terms, gives }) => sum + 100 + terms.reduce((all, { rank }) => all + 6 + rank, 0) + gives.size,
    0,
  );

const cheapest = (all: readonly (readonly FoundLine[])[]): FoundLine[] => [
  ...([...all].sort((a, b) => costOf(a) - costOf(b))[0] ?? []),
];
