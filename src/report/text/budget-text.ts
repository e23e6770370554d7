/** Visited pages beside their budgets. */
import { describeExcess } from '../../core/visiting/describe-budget.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { countOf } from '../../core/words/counts.js';
import { pathOf } from '../../core/words/path-of.js';
import { visible, type Paint } from './paint.js';
import { wrapLines } from './wrap.js';

/** '' where no visited page has a budget. */
export function formatBudgets(
  { budgeted, overBudget }: Pick<VisitOutcome, 'budgeted' | 'overBudget'>,
  paint: Paint,
): string {
  if (budgeted === 0) return '';
  if (overBudget.length === 0)
    return `${paint.good('✓')} ${countOf(budgeted, 'page')} within ${budgeted === 1 ? 'its budget' : 'their budgets'}`;
  const over = new Set(overBudget.map(({ url }) => url)).size;
  const lines = overBudget.map(
    (excess) =>
      `  ${paint.place(visible(pathOf(excess.url)))}: ${describeExcess(excess)} ${paint.soft(`(line ${excess.line} of the config)`)}`,
  );
  const title = `${paint.bad('✗')} ${countOf(over, 'page')} of ${budgeted} over budget`;
  return wrapLines([title, ...lines].join('\n'), paint.width);
}
