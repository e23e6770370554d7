/** What a month may cost at most, as `--at-most` says it. */
import type { CostOutcome } from '../core/cost/cost-outcome.js';
import { compareExact, parseExact, type Exact } from '../core/cost/exact.js';
import type { RateCard } from '../core/cost/rate-card.js';
import { FenestraError } from '../core/errors/catalogue.js';

export interface Budget {
  readonly text: string;
  readonly amount: Exact;
  readonly currency: string;
}

/** @throws FenestraError USAGE, also where a card is in another currency */
export function readBudget(text: string, cards: readonly RateCard[]): Budget {
  const [, number = '', currency = ''] = /^(\d{1,15}(?:\.\d{1,15})?)\s*([A-Z]{3})$/.exec(text.trim()) ?? [];
  const amount = parseExact(number);
  const others = cards.filter((card) => card.currency !== currency);
  if (amount && others.length === 0) return { text: `${number} ${currency}`, amount, currency };
  throw new FenestraError('USAGE', {
    what: amount
      ? `--at-most "${text}" is in ${currency}, and ${others[0]?.name ?? ''} is in ${others[0]?.currency ?? ''}.`
      : `--at-most "${text}" is no amount.`,
    fix: `Give one in the currency of every card, such as "5 ${cards[0]?.currency ?? 'EUR'}".`,
  });
}

interface Exceeding {
  readonly card: string;
  readonly month: number;
  readonly sum: string;
}

/** The first month of each card that comes to more than a budget. */
export function listExceeding({ cards }: CostOutcome, { amount }: Budget): Exceeding[] {
  return cards.flatMap(({ card, months, growing }) => {
    const all = growing
      ? growing.months.map((sum, at) => ({ month: at + 1, sum }))
      : months.map(({ month, sum }) => ({ month, sum }));
    const first = all.find(({ sum }) => compareExact(parseExact(sum) ?? amount, amount) > 0);
    return first ? [{ card: card.name, ...first }] : [];
  });
}
