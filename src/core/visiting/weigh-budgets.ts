/** Pages beside their budgets. */
import { parsePattern } from '../assign/pattern.js';
import {
  BUDGET_FIGURES,
  BUDGET_VISITS,
  type Budget,
  type BudgetExcess,
  type BudgetLimit,
  type BudgetVisit,
} from './budget.js';
import type { Connection } from './connection.js';
import { PrivateCache } from './private-cache.js';
import { visitPage, type KnownLoad, type VisitTotals } from './visit.js';

/** @returns what holds for a key: of several entries the last one that names a figure counts */
export function createBudgets(budgets: readonly Budget[]): (key: string) => readonly BudgetLimit[] {
  const compiled = budgets.map((budget) => ({ budget, matchers: budget.pages.map(parsePattern) }));
  return (key) => {
    const limits = new Map<string, BudgetLimit>();
    for (const { budget, matchers } of compiled) {
      if (!matchers.some((matches) => matches(key))) continue;
      for (const visit of BUDGET_VISITS)
        for (const figure of BUDGET_FIGURES) {
          const most = budget[visit]?.[figure];
          if (most !== undefined)
            limits.set(`${visit} ${figure}`, { visit, figure, most, line: budget.line });
        }
    }
    return [...limits.values()];
  };
}

/** The key of the object that a load ends at; undefined where there is none, as for an error page. */
function keyOf({ load, answers }: KnownLoad): string | undefined {
  const page = load.wanted.findLast(({ use }) => use === 'page');
  const answer = page && answers.get(page.url);
  return answer?.status === 200 ? (answer.plain ?? answer.key) : undefined;
}

/**
 * Each page by itself.
 * @param under the folder of the bucket that the site lies in, which patterns do not name; '' for the whole bucket
 * @param at milliseconds since the epoch
 */
export function weighLoads(
  budgets: readonly Budget[],
  loads: readonly KnownLoad[],
  under: string,
  at: number,
  line: Connection,
): { readonly overBudget: readonly BudgetExcess[]; readonly budgeted: number } {
  const limitsOf = createBudgets(budgets);
  let budgeted = 0;
  const overBudget = loads.flatMap((known) => {
    const key = keyOf(known);
    const limits = key?.startsWith(under) === true ? limitsOf(key.slice(under.length)) : [];
    if (key === undefined || limits.length === 0) return [];
    budgeted++;
    const { url, unknown } = known.load;
    const totals = totalsOf(known, at, line);
    return limits
      .map((limit) => ({
        ...limit,
        url,
        key,
        is: totals[limit.visit][limit.figure],
        scripts: unknown.scripts,
      }))
      .filter(({ is, most }) => is > most);
  });
  return { overBudget, budgeted };
}

/** By itself, as somebody meets the page who comes from elsewhere. */
function totalsOf(known: KnownLoad, at: number, line: Connection): Record<BudgetVisit, VisitTotals> {
  const cache = new PrivateCache();
  const as = { kind: 'visit', now: at, line, inFull: false } as const;
  const first = visitPage(known, cache, as).totals;
  return { first, again: visitPage(known, new PrivateCache(cache), as).totals };
}
