/** What a site costs, for a terminal. */
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import type { RoundedCost } from '../../core/cost/month-cost.js';
import { formatDuration } from '../../core/caching/duration.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';
import { wrapLines } from './wrap.js';

const PARTS: Readonly<Record<RoundedCost['parts'][number]['part'], string>> = {
  storage: 'storage',
  read: 'reads',
  write: 'writes',
  list: 'listings',
  transfer: 'transfer',
  minimum: 'to the minimum',
};

const unitsOf = (part: RoundedCost['parts'][number]['part'], units: bigint): string =>
  part === 'minimum'
    ? ''
    : part === 'storage' || part === 'transfer'
      ? formatBytes(Number(units))
      : formatCount(Number(units));

const money = ({ card }: CardCost, amount: string): string => `${amount} ${card.currency}`;

export function formatCost(outcome: CostOutcome, paint: Paint): string {
  const { cards } = outcome;
  return [
    wrapLines(
      `${paint.strong(`What ${outcome.destination} costs in a month`)}, ${describeTraffic(outcome)}`,
      paint.width,
    ),
    ...cards.map((card) => formatCard(card, outcome, paint)),
    paint.soft(wrapLines(restsOn(outcome), paint.width)),
  ].join('\n\n');
}

function describeTraffic({ traffic }: CostOutcome): string {
  if (traffic.from === 'log')
    return `by ${visible(traffic.file)}: ${countOf(traffic.reads, 'read')} in ${traffic.days.toFixed(1)} days, ${formatCount(traffic.missing)} of what is not there, ${formatCount(traffic.confirmed)} answered with 304${traffic.unread > 0 ? `; ${countOf(traffic.unread, 'line')} are no requests` : ''}`;
  const { visitors, returning, pages, first, again, after } = traffic;
  return `by ${countOf(visitors, 'visit')} of ${countOf(pages.length, 'page')}, ${(returning / 10).toFixed(returning % 10 === 0 ? 0 : 1)} % of them again after ${formatDuration(after)}: a first one asks for ${formatCount(first.requests)} (${formatBytes(first.bytes)}), one that comes back for ${formatCount(again.requests)} (${formatBytes(again.bytes)})`;
}

function formatCard(cost: CardCost, outcome: CostOutcome, paint: Paint): string {
  const { card, months, year, withoutHeaders, withAdvice, rules, top } = cost;
  const head = ['', '', ...months.map(({ month }) => `month ${month}`)];
  const parts = months[0]?.parts.map(({ part }) => part) ?? [];
  const all = [
    ...parts,
    ...(months.some(({ parts: own }) => own.some(({ part }) => part === 'minimum')) &&
    !parts.includes('minimum')
      ? (['minimum'] as const)
      : []),
  ];
  const rows = all.map((part) => [
    PARTS[part],
    paint.soft(unitsOf(part, months[0]?.parts.find((each) => each.part === part)?.units ?? 0n)),
    ...months.map(({ parts: own }) => own.find((each) => each.part === part)?.amount ?? '0'),
  ]);
  const sum = ['', '', ...months.map(({ sum: own }) => paint.strong(own))];
  const last = months.at(-1);
  const compared = [
    ...(withoutHeaders
      ? [['the same with no cache headers (browsers guess then)', money(cost, withoutHeaders.sum)]]
      : []),
    ...(withAdvice && outcome.advice !== undefined
      ? [[`with ${outcome.advice}`, money(cost, withAdvice.sum)]]
      : []),
    ...rules.map(({ line, saves }) => [`${line} saves`, money(cost, saves)]),
  ];
  const free = months.length > 1 ? '; the first month beside the one after all that is free for a while' : '';
  return [
    `${paint.place(visible(card.name))}, ${card.currency}${paint.soft(free)}`,
    columns([head.map(paint.soft), ...rows, sum], [1, 2, 3], paint.width),
    `  ${paint.soft('the first twelve months')} ${paint.strong(money(cost, year))}${last && compared.length > 0 ? paint.soft(`; of month ${last.month}:`) : ''}`,
    ...(compared.length > 0
      ? [
          columns(
            compared.map(([what = '', amount = '']) => [`  ${what}`, amount]),
            [1],
            paint.width,
          ),
        ]
      : []),
    ...(top.length > 0
      ? [
          columns(
            [
              ['what costs most', 'requests', 'bytes', ''].map(paint.soft),
              ...top.map(({ what, requests, bytes, amount }) => [
                visible(what),
                formatCount(requests),
                formatBytes(bytes),
                money(cost, amount),
              ]),
            ],
            [1, 2, 3],
            paint.width,
          ),
        ]
      : []),
  ].join('\n');
}

function restsOn({ cards, traffic }: CostOutcome): string {
  const dates = cards.map(({ card }) => `${card.name} of ${card.date ?? 'no date'}`).join(', ');
  const model =
    traffic.from === 'visitors'
      ? 'the model of visits (docs/visits.md), the releases of the last month for what is written'
      : 'the log, with 350 bytes for the head of each answer, the releases of the last month for what is written';
  return `An estimate. It rests on ${model}, what lies in the bucket now, and the prices of ${dates}.`;
}
