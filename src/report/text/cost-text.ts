/** What a site costs, for a terminal. */
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import type { RoundedCost } from '../../core/cost/month-cost.js';
import { PARTS, PART_UNITS } from '../../core/cost/rate-card.js';
import { formatDuration } from '../../core/caching/duration.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { describeLog, warnOfLog } from './log-text.js';
import { columns, visible, type Paint } from './paint.js';
import { widthOf, wrapLines } from './wrap.js';

/** The parts of a month, in words. */
export const PART_WORDS: Readonly<Record<RoundedCost['parts'][number]['part'], string>> = {
  storage: 'storage',
  read: 'reads',
  confirmed: 'answered with 304',
  missing: 'of what is not there',
  write: 'writes',
  list: 'listings',
  transfer: 'transfer',
  frontStorage: 'copies in the front',
  frontRequests: 'requests of the front',
  frontTransfer: 'transfer of the front',
  frontFixed: 'the front itself',
  minimum: 'to the minimum',
  tax: 'tax',
};

/** Units of a part, in words. */
export function unitsInWords(part: RoundedCost['parts'][number]['part'], units: bigint): string {
  if (part === 'frontFixed' || part === 'minimum' || part === 'tax') return '';
  return PART_UNITS[part] === 'bytes' ? formatBytes(Number(units)) : formatCount(Number(units));
}

const money = ({ card }: CardCost, amount: string): string => `${amount} ${card.currency}`;

export function formatCost(outcome: CostOutcome, paint: Paint): string {
  const { cards } = outcome;
  return [
    wrapLines(
      `${paint.strong(`What ${outcome.destination} costs in a month`)}, ${describeTraffic(outcome)}`,
      paint.width,
    ),
    formatMonths(outcome, paint),
    ...(outcome.growth === undefined ? [] : [formatGrowth(outcome, outcome.growth, paint)]),
    ...cards.map((card) => formatCard(card, outcome, paint)).filter((part) => part !== ''),
    paint.soft(wrapLines(restsOn(outcome), paint.width)),
  ].join('\n\n');
}

export function describeTraffic({ traffic }: CostOutcome): string {
  if (traffic.from === 'log') return describeLog(traffic);
  const { visitors, returning, pages, first, again, after } = traffic;
  return `by ${countOf(visitors, 'visit')} of ${countOf(pages.length, 'page')}, ${(returning / 10).toFixed(returning % 10 === 0 ? 0 : 1)} % of them again after ${formatDuration(after)}: a first one makes ${countOf(first.requests, 'request')} (${formatBytes(first.bytes)}), one that comes back ${formatCount(again.requests)} (${formatBytes(again.bytes)})`;
}

/** All cards side by side, each with its months; in several tables where the terminal is too narrow for one. */
function formatMonths({ cards }: CostOutcome, paint: Paint): string {
  const parts = ORDER.filter((part) =>
    cards.some(({ months }) => months.some((month) => month.parts.some((each) => each.part === part))),
  );
  return groupCards(cards, paint.width)
    .map((group) => formatTable(group, parts, paint))
    .join('\n\n');
}

/** Columns of parts and units, and of each month at the least. */
const [FIRST_COLUMNS, MONTH_COLUMN] = [34, 15];

function groupCards(cards: readonly CardCost[], width: number): CardCost[][] {
  const groups: CardCost[][] = [];
  let taken = Infinity;
  for (const card of cards) {
    const name = widthOf(visible(card.card.name)) + 2;
    const own = Math.max(name, MONTH_COLUMN) + (card.months.length - 1) * MONTH_COLUMN;
    if (taken + own > width) {
      groups.push([]);
      taken = FIRST_COLUMNS;
    }
    groups.at(-1)?.push(card);
    taken += own;
  }
  return groups;
}

function formatTable(cards: readonly CardCost[], parts: typeof ORDER, paint: Paint): string {
  const all = cards.flatMap((card) => card.months.map((month) => ({ card, month })));
  const head = [
    ['', '', ...all.map(({ card, month }) => (month === card.months[0] ? visible(card.card.name) : ''))],
    ['', '', ...all.map(({ card, month }) => `${card.card.currency}, month ${month.month}`)],
  ].map((row) => row.map(paint.soft));
  const rows = parts.map((part) => {
    const found = all.map(({ month }) => month.parts.find((each) => each.part === part));
    return [
      PART_WORDS[part],
      paint.soft(unitsInWords(part, found.find((each) => each !== undefined)?.units ?? 0n)),
      ...found.map((each) => each?.amount ?? paint.soft('-')),
    ];
  });
  const sums = ['the month', '', ...all.map(({ month }) => paint.strong(month.sum))];
  const years = [
    paint.soft('first twelve months'),
    '',
    ...all.map(({ card, month }) => (month === card.months[0] ? card.year : '')),
  ];
  const right = [1, ...all.map((_, at) => at + 2)];
  return columns([...head, ...rows, sums, years], right, paint.width);
}

/** Twelve months side by side, of each card. */
function formatGrowth({ cards }: CostOutcome, growth: number, paint: Paint): string {
  const head = ['month', ...cards.map(({ card }) => `${visible(card.name)}, ${card.currency}`)].map(
    paint.soft,
  );
  const rows = Array.from({ length: 12 }, (_, at) => [
    String(at + 1),
    ...cards.map(({ growing }) => growing?.months[at] ?? ''),
  ]);
  const sums = ['together', ...cards.map(({ growing }) => paint.strong(growing?.year ?? ''))];
  return `Growing by ${growth / 10} % a month\n${columns([head, ...rows, sums], [1, ...cards.map((_, at) => at + 1)], paint.width)}`;
}

const ORDER: readonly RoundedCost['parts'][number]['part'][] = [...PARTS, 'frontFixed', 'minimum', 'tax'];

export const isNothing = (amount: string): boolean => /^-?0(?:\.0*)?$/.test(amount);

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
      ? `the model of visits (docs/visits.md)${traffic.front ? ' and of the cache for everybody before the bucket, over requests at equal intervals' : ''}, the releases of the last month for what is written`
      : 'the log, with 350 bytes for the head of each answer, the releases of the last month for what is written';
  const warnings =
    traffic.from === 'log'
      ? warnOfLog(traffic)
      : traffic.front
        ? cards
            .filter(({ hasFront }) => !hasFront)
            .map(({ card }) => `${card.name} has no \`front\`, so what the front costs is not in it.`)
        : [];
  return [
    `An estimate. It rests on ${model}, what lies in the bucket now, and the prices of ${dates}.`,
    ...warnings,
  ].join(' ');
}
