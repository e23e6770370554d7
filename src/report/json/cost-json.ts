/** The JSON document of what a site costs: the first card, and the others beside it. */
import { isoMoment } from '../../core/words/moments.js';
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import type { RoundedCost } from '../../core/cost/month-cost.js';

const monthJson = ({ month, parts, sum }: RoundedCost): object => ({
  month,
  parts: parts.map(({ part, amount, units }) => ({ part, amount, units: String(units) })),
  sum,
});

const cardJson = ({
  card,
  months,
  year,
  withoutHeaders,
  withAdvice,
  curve,
  growing,
  rules,
  top,
}: CardCost): object => ({
  card: card.name,
  currency: card.currency,
  date: card.date ?? null,
  months: months.map(monthJson),
  year,
  ...(withoutHeaders ? { withoutHeaders: monthJson(withoutHeaders) } : {}),
  ...(withAdvice ? { withAdvice: monthJson(withAdvice) } : {}),
  ...(growing ? { growing } : {}),
  curve,
  rules,
  top,
});

/** A span is said in moments. */
const logJson = ({
  span,
  ...traffic
}: Extract<CostOutcome['traffic'], { readonly from: 'log' }>): object => ({
  ...traffic,
  days: traffic.seconds / 86_400,
  span: span
    ? {
        ...span,
        from: isoMoment(span.from),
        to: isoMoment(span.to),
        gaps: span.gaps.map(({ from, hours }) => ({ from: isoMoment(from), hours })),
      }
    : null,
});

export function costJson({ destination, bucket, cards, traffic, advice }: CostOutcome): object {
  const [first, ...others] = cards.map(cardJson);
  return {
    destination,
    bucket,
    ...first,
    ...(others.length > 0 ? { others } : {}),
    traffic: traffic.from === 'log' ? logJson(traffic) : traffic,
    ...(advice === undefined ? {} : { advice }),
  };
}
