/** What a site costs, for a terminal. */
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import type { RoundedCost } from '../../core/cost/month-cost.js';
import { formatDuration } from '../../core/caching/duration.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';
import { wrapLines } from './wrap.js';

/** The parts of a month, in words. */
export const PART_WORDS: Readonly<Record<RoundedCost['parts'][number]['part'], string>> = {
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
    formatMonths(outcome, paint),
    ...cards.map((card) => formatCard(card, outcome, paint)).filter((part) => part !== ''),
    paint.soft(wrapLines(restsOn(outcome), paint.width)),
  ].join('\n\n');
}

export function describeTraffic({ traffic }: CostOutcome): string {
  if (traffic.from === 'log')
    return `by ${visible(traffic.file)}: ${countOf(traffic.reads, 'read')} in ${traffic.days.toFixed(1)} days, ${formatCount(traffic.missing)} of what is not there, ${formatCount(traffic.confirmed)} answered with 304${traffic.unread > 0 ? `; ${countOf(traffic.unread, 'line')} are no requests` : ''}`;
  const { visitors, returning, pages, first, again, after } = traffic;
  return `by ${countOf(visitors, 'visit')} of ${countOf(pages.length, 'page')}, ${(returning / 10).toFixed(returning % 10 === 0 ? 0 : 1)} % of them again after ${formatDuration(after)}: a first one makes ${countOf(first.requests, 'request')} (${formatBytes(first.bytes)}), one that comes back ${formatCount(again.requests)} (${formatBytes(again.bytes)})`;
}

/** All cards side by side, each with its months. */
function formatMonths({ cards }: CostOutcome, paint: Paint): string {
  const all = cards.flatMap((card) => card.months.map((month) => ({ card, month })));
  const parts = [...new Set(all.flatMap(({ month }) => month.parts.map(({ part }) => part)))].sort(
    (a, b) => ORDER.indexOf(a) - ORDER.indexOf(b),
  );
  const head = [
    ['', '', ...all.map(({ card }) => visible(card.card.name))],
    ['', '', ...all.map(({ card, month }) => `${card.card.currency}, month ${month.month}`)],
  ].map((row) => row.map(paint.soft));
  const rows = parts.map((part) => {
    const found = all.map(({ month }) => month.parts.find((each) => each.part === part));
    return [
      PART_WORDS[part],
      paint.soft(unitsOf(part, found.find((each) => each !== undefined)?.units ?? 0n)),
      ...found.map((each) => each?.amount ?? paint.soft('-')),
    ];
  });
  const sums = ['', '', ...all.map(({ month }) => paint.strong(month.sum))];
  const years = [
    paint.soft('first twelve months'),
    '',
    ...all.map(({ card, month }) => (month === card.months[0] ? card.year : '')),
  ];
  const right = [1, ...all.map((_, at) => at + 2)];
  return columns([...head, ...rows, sums, years], right, paint.width);
}

const ORDER = ['storage', 'read', 'write', 'list', 'transfer', 'minimum'] as const;

const isNothing = (amount: string): boolean => /^-?0(?:\.0*)?$/.test(amount);

/** What caching is worth by a card, and what costs most. */
function formatCard(cost: CardCost, outcome: CostOutcome, paint: Paint): string {
  const { card, months, withoutHeaders, withAdvice, rules, top } = cost;
  const last = months.at(-1);
  const worth = rules.filter(({ saves }) => !isNothing(saves));
  const rest = rules.length - worth.length;
  const compared = [
    ...(withoutHeaders
      ? [['with no cache headers (browsers guess then)', money(cost, withoutHeaders.sum)]]
      : []),
    ...(withAdvice && outcome.advice !== undefined
      ? [[`with ${outcome.advice}`, money(cost, withAdvice.sum)]]
      : []),
    ...worth.map(({ line, saves }) => [`${line} saves`, money(cost, saves)]),
    ...(rest > 0
      ? [
          [
            paint.soft(
              `${countOf(rest, worth.length > 0 ? 'other line' : 'line')} of assign with cache save nothing`,
            ),
            '',
          ],
        ]
      : []),
  ];
  const most = top.filter(({ amount }) => !isNothing(amount));
  if (compared.length + most.length === 0) return '';
  return [
    `${paint.place(visible(card.name))}${paint.soft(last ? `, month ${last.month}` : '')}`,
    ...(compared.length > 0 ? [columns(compared, [1], paint.width)] : []),
    ...(most.length > 0
      ? [
          columns(
            [
              ['what costs most', 'requests', 'bytes', ''].map(paint.soft),
              ...most.map(({ what, requests, bytes, amount }) => [
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

export function restsOn({ cards, traffic }: CostOutcome): string {
  const dates = cards.map(({ card }) => `${card.name} of ${card.date ?? 'no date'}`).join(', ');
  const model =
    traffic.from === 'visitors'
      ? 'the model of visits (docs/visits.md), the releases of the last month for what is written'
      : 'the log, with 350 bytes for the head of each answer, the releases of the last month for what is written';
  return `An estimate. It rests on ${model}, what lies in the bucket now, and the prices of ${dates}.`;
}
