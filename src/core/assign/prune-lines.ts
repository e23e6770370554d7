/** Lines that were found, without whatever in them is not needed. */
import { bitsWhere, bitsWithout, bothBits, countBits, eitherBits, hasBit } from './bits.js';
import { hasBits, isWithin, noBits, type Bits } from './bits.js';
import { reachOf, type FoundLine, type Line, type LineProblem, type State } from './line-problem.js';
import type { Term } from './rule-terms.js';

/** From the last line on, each is left with what it alone brings about, in the fewest patterns. */
export function prune(problem: LineProblem, state: State): FoundLine[] {
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
    found.unshift({ kind: line.kind, terms, gives, yields: line.yields });
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
  for (const term of [...chosen]) {
    const others = chosen.filter((each) => each !== term);
    const covered = others.map(({ groups }) => groups).reduce(eitherBits, noWords(needed));
    if (isWithin(needed, covered)) chosen.splice(chosen.indexOf(term), 1);
  }
  return chosen;
}

const noWords = ({ length }: Bits): Bits => new Uint32Array(length);

/** Lines, then patterns: the longer and the rarer the dearer. */
export const costOf = (lines: readonly FoundLine[]): number =>
  lines.reduce(
    (sum, { terms, gives }) => sum + 100 + terms.reduce((all, { rank }) => all + 6 + rank, 0) + gives.size,
    0,
  );

export const cheapest = (all: readonly (readonly FoundLine[])[]): FoundLine[] => [
  ...([...all].sort((a, b) => costOf(a) - costOf(b))[0] ?? []),
];
