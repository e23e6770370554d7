/** Budgets: what a page may ask of a visitor, as the config says it. */

/** What is counted: `bytes` on the wire with their heads, `seconds` as computed for a line. */
export const BUDGET_FIGURES = ['requests', 'bytes', 'seconds'] as const;
export type BudgetFigure = (typeof BUDGET_FIGURES)[number];

/** A visit with an empty cache, and one right after it. */
export const BUDGET_VISITS = ['first', 'again'] as const;
export type BudgetVisit = (typeof BUDGET_VISITS)[number];

/** One entry under `budgets`. */
export interface Budget extends Readonly<
  Partial<Record<BudgetVisit, Readonly<Partial<Record<BudgetFigure, number>>>>>
> {
  /** Line of the config where it starts, from 1. */
  readonly line: number;
  /** Patterns of keys. */
  readonly pages: readonly string[];
}

/** What one page may ask for at most in one of its visits. */
export interface BudgetLimit {
  readonly visit: BudgetVisit;
  readonly figure: BudgetFigure;
  readonly most: number;
  /** The line of the config that says so. */
  readonly line: number;
}

/** A page that asks for more than it may. */
export interface BudgetExcess extends BudgetLimit {
  readonly url: string;
  /** The page's key. */
  readonly key: string;
  readonly is: number;
  /** Scripts of the page that may ask for still more. */
  readonly scripts: number;
}
