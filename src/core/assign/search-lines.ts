/**
 * The search for the fewest lines that give every group of objects what it has to have. It begins with the last line of
 * the list, which no other overrides, and goes up: each line before may name whatever has to come out alike where the
 * later ones have not decided.
 */
import { bitsWhere, bothBits, countBits, eachBit, type Bits } from './bits.js';
import {
  follow,
  isDone,
  startOfSearch,
  type FoundLine,
  type LineProblem,
  type State,
} from './line-problem.js';
import { listMoves } from './list-moves.js';
import { cheapest, prune } from './prune-lines.js';
import { reorder } from './reorder-lines.js';

/** States that are followed side by side. */
const WIDTH = 16;
/** Where the first look at it is all that is asked for. */
const NARROW = 4;
export const MAX_LINES = 40;

/**
 * In the order of a config. Where some groups cannot be told apart, what can be is found.
 * @param thorough whether what was passed over early is looked at too, which takes a few times as long
 */
export function searchLines(problem: LineProblem, thorough: boolean): FoundLine[] {
  const wrong = problem.wants.map((wants, property) =>
    bitsWhere(problem.size, (group) => {
      const want = wants[group] ?? 0;
      return want !== 0 && want !== problem.has[property]?.[group];
    }),
  );
  // What one step takes: many terms of many groups are searched in a narrower way.
  const cost = problem.kinds.reduce((sum, kind) => sum + kind.length, 0) * (1 + (problem.size >>> 5));
  const width = Math.max(1, Math.min(thorough ? WIDTH : NARROW, Math.floor(MAX_COST / cost)));
  const first = searchOnce(problem, wrong, { width, most: MAX_LINES, score: byValues });
  let best = first.lines;
  if (!first.isWhole) return best;
  for (const again of thorough && width === WIDTH ? AGAIN : []) {
    const found = searchOnce(problem, wrong, { ...again, most: best.length - 1 });
    if (found.isWhole) best = found.lines;
  }
  return reorder(problem, wrong, best);
}

const MAX_COST = 100_000;

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

/** Whole, or what comes nearest. */
function searchOnce(
  problem: LineProblem,
  wrong: readonly Bits[],
  { width, most, score }: Search,
): { readonly lines: FoundLine[]; readonly isWhole: boolean } {
  let level = [startOfSearch(problem)];
  let nearest = level[0];
  for (let lines = 0; lines <= most && level.length > 0; lines++) {
    const done = level.filter((state) => isDone(state, wrong));
    if (done.length > 0)
      return { lines: cheapest(done.map((state) => prune(problem, state))), isWhole: true };
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
  return { lines: nearest ? prune(problem, nearest) : [], isWhole: false };
}

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
