/** What is over a budget, in words that people read. */
import { countOf, formatBytes, formatCount } from '../words/counts.js';
import type { BudgetExcess, BudgetFigure } from './budget.js';

const SHOWN: Readonly<Record<BudgetFigure, (value: number) => string>> = {
  requests: (value) => countOf(value, 'request'),
  bytes: formatBytes,
  seconds: (value) => `${value.toFixed(value < 10 ? 2 : 1)} s`,
};

/** Where rounding hides the difference, the whole number tells it. */
function shownApart(figure: BudgetFigure, is: number, most: number): readonly [string, string] {
  const [a, b] = [SHOWN[figure](is), SHOWN[figure](most)];
  if (a !== b) return [a, b];
  return figure === 'bytes' ? [`${formatCount(is)} B`, `${formatCount(most)} B`] : [String(is), String(most)];
}

/** `a first visit takes 52 requests, 40 are allowed`. */
export function describeExcess({ visit, figure, is, most, scripts }: BudgetExcess): string {
  const [taken, allowed] = shownApart(figure, is, most);
  const more = scripts > 0 ? ` and what ${countOf(scripts, 'script')} may ask for` : '';
  return `${visit === 'first' ? 'a first visit' : 'a visit right after the first'} takes ${taken}${more}; its budget is ${allowed}`;
}
