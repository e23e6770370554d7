/** Loading a rate card: as strictly as the config, all faults at once. */
import { readFileSync } from 'node:fs';
import { parseDuration } from '../core/caching/duration.js';
import { parseExact, times, ZERO, type Exact } from '../core/cost/exact.js';
import type { Part, Rate, RateCard } from '../core/cost/rate-card.js';
import type { Rounding } from '../core/cost/exact.js';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { reasonInWords } from '../core/errors/system-error.js';
import { parseBytes } from '../core/words/counts.js';
import { cardSchema } from './card-schema.js';
import { faultsError, parseYaml } from './load.js';

interface RawRate {
  readonly per?: string | number;
  readonly price?: string | number;
  readonly tiers?: readonly { readonly amount?: string | number; readonly price: string | number }[];
  readonly free?: { readonly amount: string | number; readonly months?: number } | null;
  readonly wholeUnits?: boolean;
}

interface RawCard {
  readonly card: string;
  readonly currency: string;
  readonly decimals?: number;
  readonly rounding?: Rounding;
  readonly date?: string;
  readonly storage?: RawRate | null;
  readonly storedAtLeast?: string;
  readonly requests?: Readonly<
    Partial<Record<'read' | 'confirmed' | 'missing' | 'write' | 'list', RawRate | null>>
  > | null;
  readonly transfer?: RawRate | null;
  readonly front?:
    | (Readonly<Partial<Record<'storage' | 'requests' | 'transfer', RawRate | null>>> & {
        readonly fixed?: string | number;
      })
    | null;
  readonly tax?: string;
  readonly minimum?: string | number;
}

const amountOf = (value: string | number): bigint =>
  typeof value === 'number' ? BigInt(value) : BigInt(parseBytes(value) ?? 0);
const priceOf = (value: string | number | undefined): Exact => parseExact(String(value ?? 0)) ?? ZERO;

const taxOf = (value = '0%'): Exact =>
  times(parseExact(value.replace(/ ?%$/, '')) ?? ZERO, { n: 1n, d: 100n });
const secondsOf = (value = ''): bigint => {
  const parsed = parseDuration(value);
  return 'seconds' in parsed ? BigInt(parsed.seconds) : 0n;
};

function toRate({ per, price, tiers, free, wholeUnits = false }: RawRate, usual: bigint): Rate {
  return {
    per: per === undefined ? usual : amountOf(per),
    tiers: tiers
      ? tiers.map((tier) => ({
          price: priceOf(tier.price),
          ...(tier.amount === undefined ? {} : { amount: amountOf(tier.amount) }),
        }))
      : [{ price: priceOf(price) }],
    free: free ? amountOf(free.amount) : 0n,
    freeMonths: free?.months ?? Infinity,
    wholeUnits,
  };
}

/** @throws FenestraError CARD_UNREADABLE, CONFIG_FAULTS */
export async function loadCard(path: string): Promise<RateCard> {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch (error) {
    const reason = systemCode(error) === 'ENOENT' ? 'there is no such file' : reasonInWords(error);
    throw new FenestraError('CARD_UNREADABLE', { path, reason }, error);
  }
  const parsed = await parseYaml(text, cardSchema, {
    noun: 'card',
    begin: 'card: Quay',
    exact: ['price', 'minimum', 'fixed'],
  });
  if ('faults' in parsed) throw faultsError(path, parsed.faults);
  const raw = parsed.raw as unknown as RawCard;
  const given: readonly (readonly [Part, RawRate | null | undefined, bigint])[] = [
    ['storage', raw.storage, 10n ** 9n],
    ['read', raw.requests?.read, 1n],
    ['confirmed', raw.requests?.confirmed, 1n],
    ['missing', raw.requests?.missing, 1n],
    ['write', raw.requests?.write, 1n],
    ['list', raw.requests?.list, 1n],
    ['transfer', raw.transfer, 10n ** 9n],
    ['frontStorage', raw.front?.storage, 10n ** 9n],
    ['frontRequests', raw.front?.requests, 1n],
    ['frontTransfer', raw.front?.transfer, 10n ** 9n],
  ];
  return {
    name: raw.card,
    currency: raw.currency,
    decimals: raw.decimals ?? 2,
    rounding: raw.rounding ?? 'half-up',
    date: raw.date,
    minimum: priceOf(raw.minimum),
    frontFixed: priceOf(raw.front?.fixed),
    tax: taxOf(raw.tax),
    leastStorage: secondsOf(raw.storedAtLeast),
    rates: Object.fromEntries(
      given.flatMap(([part, rate, usual]) => (rate ? [[part, toRate(rate, usual)]] : [])),
    ),
  };
}
