/** The same lines in another order, where fewer or simpler patterns say them. */
import type { Bits } from './bits.js';
import { follow, isDone, startOfSearch, type FoundLine, type LineProblem } from './line-problem.js';
import { lineGiving } from './list-moves.js';
import { costOf, prune } from './prune-lines.js';

/** More lines are moved to the front alone. */
const FEW_LINES = 12;
/** Each makes the list simpler, so there are not many. */
const MAX_ROUNDS = 30;

type Template = Pick<FoundLine, 'kind' | 'gives' | 'yields'>;

/**
 * The first change that makes it simpler is made, until there is none: a line goes to another place, or names media
 * ranges in place of patterns.
 * @param lines in the order of a config, as all that is returned
 */
export function reorder(
  problem: LineProblem,
  wrong: readonly Bits[],
  lines: readonly FoundLine[],
): FoundLine[] {
  let best = [...lines];
  for (let round = 0; round < MAX_ROUNDS; round++) {
    const better = findSimpler(problem, wrong, best);
    if (!better) break;
    best = better;
  }
  return best;
}

function findSimpler(
  problem: LineProblem,
  wrong: readonly Bits[],
  lines: readonly FoundLine[],
): FoundLine[] | undefined {
  const cost = costOf(lines);
  for (const order of listOrders(lines)) {
    const made = make(problem, wrong, order);
    if (made && costOf(made) < cost) return made;
  }
  return undefined;
}

function* listOrders(lines: readonly FoundLine[]): Generator<Template[]> {
  for (const [at, line] of lines.entries()) {
    const others = lines.filter((_, other) => other !== at);
    const places = lines.length > FEW_LINES ? [0] : lines.keys();
    for (const place of places) {
      if (place !== at) yield [...others.slice(0, place), line, ...others.slice(place)];
      // Patterns alone are the first kind, ranges alone the second.
      for (const kind of [0, 1])
        if (kind !== line.kind) yield [...others.slice(0, place), { ...line, kind }, ...others.slice(place)];
    }
  }
}

/** Undefined where something is left wrong. */
function make(
  problem: LineProblem,
  wrong: readonly Bits[],
  order: readonly Template[],
): FoundLine[] | undefined {
  let state = startOfSearch(problem);
  for (const template of [...order].reverse()) {
    // What yields stands before all that does not.
    if (state.yields && !template.yields) return undefined;
    const line = lineGiving(problem, state, template);
    if (line) state = follow(problem, state, line);
  }
  return isDone(state, wrong) ? prune(problem, state) : undefined;
}
