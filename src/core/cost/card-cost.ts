/** What traffic costs by a card: month by month, with more of it and with less, and what of it costs most. */
import type { CardCost } from './cost-outcome.js';
import { add, compareExact, formatUnits, subtract, times, toUnits, ZERO, type Exact } from './exact.js';
import { costOfMonth, costOfUnits, costOfYear, monthsFree, roundCost } from './month-cost.js';
import { isOfFront, PARTS, type RateCard, type Usage } from './rate-card.js';
import { CURVE, timesUnits } from './traffic.js';

export interface PathCount {
  requests: number;
  /** Of bodies. */
  bytes: number;
}

const TAKEN = [
  ...(['read', 'confirmed', 'missing', 'transfer'] as const),
  ...(['frontStorage', 'frontRequests', 'frontTransfer'] as const),
] as const;

/** What visitors take of a store, and of the front before it. */
export type CountedUsage = Readonly<Record<(typeof TAKEN)[number], bigint>>;

export interface Traffic {
  readonly usage: CountedUsage;
  readonly withoutHeaders?: CountedUsage;
  readonly withAdvice?: CountedUsage;
  /** What would be taken without a line of `assign`, for each of them. */
  readonly rules: readonly { readonly line: string; readonly usage: CountedUsage }[];
  /** By path. */
  readonly objects: ReadonlyMap<string, PathCount>;
  /** With so many times the visitors; absent where all of it is so many times as much. */
  readonly times?: (factor: Exact) => CountedUsage;
}

const timesTraffic = ({ usage, times: model }: Traffic, factor: Exact): CountedUsage =>
  model
    ? model(factor)
    : (Object.fromEntries(TAKEN.map((part) => [part, timesUnits(usage[part], factor)])) as CountedUsage);

/** A part in thousandths by which traffic grows from each month to the next. */
export type Growth = bigint;

const MAX_TOP = 5;

export function costByCard(card: RateCard, usage: Usage, traffic: Traffic, growth?: Growth): CardCost {
  const free = monthsFree(card);
  const last = free + 1;
  const months = [...new Set([1, last])].map((month) => roundCost(costOfMonth(card, usage, month), card));
  const by = (other: CountedUsage) => roundCost(costOfMonth(card, { ...usage, ...other }, last), card);
  const now = costOfMonth(card, usage, last).sum;
  const inWords = (amount: Exact): string => {
    const size = amount.n < 0n ? { n: -amount.n, d: amount.d } : amount;
    const units = toUnits(size, card.decimals, card.rounding);
    return formatUnits(amount.n < 0n ? -units : units, card.decimals);
  };
  return {
    card: { name: card.name, currency: card.currency, date: card.date },
    hasFront: PARTS.some((part) => isOfFront(part) && card.rates[part]) || card.frontFixed.n > 0n,
    months,
    year: costOfYear(card, usage),
    ...(traffic.withoutHeaders ? { withoutHeaders: by(traffic.withoutHeaders) } : {}),
    ...(traffic.withAdvice ? { withAdvice: by(traffic.withAdvice) } : {}),
    curve: CURVE.map((factor) => ({
      times: factor,
      amount: by(timesTraffic(traffic, { n: BigInt(Math.round(factor * 1000)), d: 1000n })).sum,
    })),
    ...(growth === undefined ? {} : { growing: growYear(card, usage, traffic, growth) }),
    rules: traffic.rules.map(({ line, usage: other }) => ({
      line,
      saves: inWords(subtract(costOfMonth(card, { ...usage, ...other }, last).sum, now)),
    })),
    top: listTop(card, usage, traffic.objects, last, inWords),
  };
}

/** Twelve months from the first on, each with more traffic than the one before. */
function growYear(card: RateCard, usage: Usage, traffic: Traffic, growth: Growth): CardCost['growing'] {
  const months = Array.from({ length: 12 }, (_, at) => {
    const factor = { n: (1000n + growth) ** BigInt(at), d: 1000n ** BigInt(at) };
    const taken = timesTraffic(traffic, factor);
    return roundCost(costOfMonth(card, { ...usage, ...taken }, at + 1), card).sum;
  });
  return { months, year: addWritten(months, card.decimals) };
}

const addWritten = (amounts: readonly string[], decimals: number): string =>
  formatUnits(
    amounts.reduce((sum, amount) => sum + BigInt(amount.replace('.', '')), 0n),
    decimals,
  );

/** What costs most: its part of what reading and sending cost together; folders beside objects. */
function listTop(
  card: RateCard,
  usage: Usage,
  objects: ReadonlyMap<string, PathCount>,
  month: number,
  inWords: (amount: Exact) => string,
): CardCost['top'] {
  const { read, transfer } = card.rates;
  const reading = read ? costOfUnits(read, usage.read, month) : ZERO;
  const sending = transfer ? costOfUnits(transfer, usage.transfer, month) : ZERO;
  const all = new Map<string, PathCount>();
  let [requests, bytes] = [0, 0];
  for (const [path, count] of objects) {
    requests += count.requests;
    bytes += count.bytes;
    const folder = path.slice(0, path.indexOf('/', 1) + 1);
    for (const what of folder.length > 1 && folder !== path ? [path, `${folder}**`] : [path]) {
      const known = all.get(what) ?? { requests: 0, bytes: 0 };
      all.set(what, { requests: known.requests + count.requests, bytes: known.bytes + count.bytes });
    }
  }
  const share = (amount: Exact, part: number, of: number): Exact =>
    of === 0 ? ZERO : times(amount, { n: BigInt(Math.round(part)), d: BigInt(Math.max(1, Math.round(of))) });
  return [...all]
    .map(([what, count]) => ({
      what,
      ...count,
      amount: add(share(reading, count.requests, requests), share(sending, count.bytes, bytes)),
    }))
    .sort((a, b) => compareExact(b.amount, a.amount) || b.bytes - a.bytes || (a.what < b.what ? -1 : 1))
    .slice(0, MAX_TOP)
    .map((each) => ({ ...each, amount: inWords(each.amount) }));
}
