/** Which rules of the config match anything and which decide anything, over the whole site. */
import type { SurveyContext } from './rule.js';

export interface RuleUse {
  readonly matched: ReadonlySet<number>;
  readonly deciding: ReadonlySet<number>;
  /** For a rule, the rules that won over it somewhere. */
  readonly winners: ReadonlyMap<number, ReadonlySet<number>>;
}

const known = new WeakMap<SurveyContext, RuleUse>();

export function ruleUse(context: SurveyContext): RuleUse {
  const ready = known.get(context);
  if (ready) return ready;
  const matched = new Set<number>();
  const deciding = new Set<number>();
  const winners = new Map<number, Set<number>>();
  for (const { decision } of context.objects) {
    for (const decider of Object.values(decision.decidedBy))
      if (decider.rule !== undefined) deciding.add(decider.rule);
  }
  for (const number of deciding) matched.add(number);
  // Only rules that decide nothing need the slow look at what became of them.
  const idle = context.assignments.rules.filter(({ number }) => !deciding.has(number));
  if (idle.length > 0) {
    for (const { key } of context.objects) {
      for (const number of context.cascade.matching(key)) {
        if (deciding.has(number)) continue;
        matched.add(number);
        if ((winners.get(number)?.size ?? 0) === 0) noteWinners(context, key, number, winners);
      }
    }
  }
  const use = { matched, deciding, winners };
  known.set(context, use);
  return use;
}

function noteWinners(
  context: SurveyContext,
  key: string,
  number: number,
  winners: Map<number, Set<number>>,
): void {
  const candidates = context.cascade.explain(key);
  const lost = new Set(candidates.filter(({ rule }) => rule === number).map(({ property }) => property));
  const set = winners.get(number) ?? new Set<number>();
  for (const { property, rule, outcome } of candidates)
    if (outcome === 'decided' && rule !== undefined && lost.has(property)) set.add(rule);
  winners.set(number, set);
}
