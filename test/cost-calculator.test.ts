/**
 * Costs beside a calculator that was written from docs/cost.md alone: it knows nothing of tiers as a list to be filled,
 * but asks for each unit's price by where it stands. Logs beside one that reads them line by line with expressions.
 */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { loadCard } from '../src/config/load-card.js';
import { costOfMonth, roundCost } from '../src/core/cost/month-cost.js';
import { PARTS, type Part, type Usage } from '../src/core/cost/rate-card.js';
import { trafficByLog } from '../src/jobs/cost/traffic-by-log.js';
import { SILENT } from '../src/jobs/progress.js';
import { SEED } from './helpers/chance.js';
import { makeFolder } from './helpers/program.js';
import { makeUsage } from './helpers/rates.js';

interface WrittenRate {
  readonly per?: string;
  readonly price?: string;
  readonly tiers?: readonly { readonly amount?: string; readonly price: string }[];
  readonly free?: { readonly amount: string; readonly months?: number };
  readonly wholeUnits?: boolean;
}

interface WrittenCard {
  readonly rates: Readonly<Partial<Record<Part, WrittenRate>>>;
  readonly fixed?: string;
  readonly minimum?: string;
  readonly tax?: string;
  readonly decimals: number;
}

/** A hundred places after the point, of which none is ever rounded away: prices have 20, and `per` is made of 2 and 5. */
const PLACES = 100;
const ONE = 10n ** BigInt(PLACES);
const decimal = (text: string): bigint => {
  const [whole = '', places = ''] = text.split('.');
  return BigInt(whole + places.padEnd(PLACES, '0'));
};
const sizeOf = (text: string): bigint => {
  const [, number = '', unit = ''] = /^(\d+) ?(.*)$/.exec(text) ?? [];
  const steps = ['', 'B', 'KB', 'MB', 'GB', 'TB'].indexOf(unit.replace('i', ''));
  return BigInt(number) * (unit.includes('i') ? 1024n : 1000n) ** BigInt(Math.max(0, steps - 1));
};

/** The price of the units from one to another, by the tier in which each stands. */
function priceOf(rate: WrittenRate, units: bigint, month: number, isSize: boolean): bigint {
  const per = rate.per === undefined ? (isSize ? 10n ** 9n : 1n) : sizeOf(rate.per);
  const isFree = rate.free && month <= (rate.free.months ?? Infinity);
  let paid = isFree ? units - sizeOf(rate.free?.amount ?? '0') : units;
  if (paid < 0n) paid = 0n;
  if (rate.wholeUnits && paid % per !== 0n) paid += per - (paid % per);
  const tiers = rate.tiers ?? [{ price: rate.price ?? '0' }];
  let [sum, begins] = [0n, 0n];
  for (const { amount, price } of tiers) {
    const ends = amount === undefined ? paid : begins + sizeOf(amount);
    const inside = (paid < ends ? paid : ends) - begins;
    if (inside > 0n) sum += (decimal(price) * inside) / per;
    begins = ends;
  }
  return sum;
}

function calculate(
  { rates, fixed = '0', minimum = '0', tax = '0', decimals }: WrittenCard,
  usage: Usage,
  month: number,
): string {
  let sum = decimal(fixed);
  for (const part of PARTS) {
    const rate = rates[part];
    if (!rate) continue;
    const apart = (['confirmed', 'missing'] as const).filter((kind) => part === 'read' && rates[kind]);
    const units = apart.reduce((left, kind) => left - usage[kind], usage[part]);
    sum += priceOf(
      rate,
      units,
      month,
      ['storage', 'transfer', 'frontStorage', 'frontTransfer'].includes(part),
    );
  }
  if (sum < decimal(minimum)) sum = decimal(minimum);
  sum += (sum * decimal(tax)) / (100n * ONE);
  const unit = 10n ** BigInt(PLACES - decimals);
  const rounded = String((sum + unit / 2n) / unit).padStart(decimals + 1, '0');
  return decimals === 0 ? rounded : `${rounded.slice(0, -decimals)}.${rounded.slice(-decimals)}`;
}

const price = fc.oneof(
  fc.constantFrom('0', '0.0000004', '0.023', '0.00000000000000000001', '12', '0.1'),
  fc.integer({ min: 0, max: 10 ** 9 }).map((n) => (n / 10 ** 7).toFixed(7)),
);
const size = fc.constantFrom('1 GB', '1 GiB', '1 MB', '512 KiB', '1073741824 B', '3 TB', '1 TiB');
const count = fc.constantFrom('1', '1000', '10000', '125');
const rateOf = (amount: fc.Arbitrary<string>): fc.Arbitrary<WrittenRate> =>
  fc
    .record({
      per: fc.option(amount, { nil: undefined }),
      tiers: fc.array(fc.record({ amount, price }), { maxLength: 3 }),
      last: price,
      free: fc.option(fc.record({ amount, months: fc.option(fc.constantFrom(1, 12), { nil: undefined }) }), {
        nil: undefined,
      }),
      wholeUnits: fc.option(fc.boolean(), { nil: undefined }),
    })
    .map(({ tiers, last, ...rate }) =>
      tiers.length === 0 ? { ...rate, price: last } : { ...rate, tiers: [...tiers, { price: last }] },
    ) as fc.Arbitrary<WrittenRate>;
const sized = rateOf(size);
const counted = rateOf(count);
const card: fc.Arbitrary<WrittenCard> = fc.record(
  {
    rates: fc.record(
      {
        ...{ storage: sized, transfer: sized, frontStorage: sized, frontTransfer: sized },
        ...{
          read: counted,
          confirmed: counted,
          missing: counted,
          write: counted,
          list: counted,
          frontRequests: counted,
        },
      },
      { requiredKeys: [] },
    ),
    fixed: price,
    minimum: price,
    tax: fc.constantFrom('20', '7.7', '0', '100'),
    decimals: fc.constantFrom(0, 2, 4),
  },
  { requiredKeys: ['rates', 'decimals'] },
) as fc.Arbitrary<WrittenCard>;

/** Numbers are written without quotes, as people write them. */
const yaml = (value: unknown): string =>
  typeof value === 'object' && value !== null
    ? Array.isArray(value)
      ? `[${value.map(yaml).join(', ')}]`
      : `{ ${Object.entries(value as Record<string, unknown>)
          .flatMap(([key, own]) => (own === undefined ? [] : [`${key}: ${yaml(own)}`]))
          .join(', ')} }`
    : String(value);

function writeCard({ rates, fixed, minimum, tax, decimals }: WrittenCard): string {
  const { storage, transfer, read, confirmed, missing, write, list } = rates;
  const front = {
    storage: rates.frontStorage,
    requests: rates.frontRequests,
    transfer: rates.frontTransfer,
    fixed,
  };
  const all = {
    decimals,
    storage,
    transfer,
    requests: { read, confirmed, missing, write, list },
    front,
    minimum,
    tax: tax === undefined ? undefined : `${tax}%`,
  };
  return `card: Quay\ncurrency: EUR\n${Object.entries(all)
    .flatMap(([key, value]) => (value === undefined ? [] : [`${key}: ${yaml(value)}\n`]))
    .join('')}`;
}

const units = fc.bigInt({ min: 0n, max: 10n ** 14n });
const usages = fc
  .record(Object.fromEntries(PARTS.map((part) => [part, units])) as Record<Part, typeof units>)
  .map((own) => makeUsage({ ...own, hasFront: true, read: own.read + own.confirmed + own.missing }));

it(`a month costs what the page says (FENESTRA_SEED=${SEED})`, async () => {
  const file = join(makeFolder(), 'card.yaml');
  await fc.assert(
    fc.asyncProperty(card, usages, fc.integer({ min: 1, max: 14 }), async (written, usage, month) => {
      writeFileSync(file, writeCard(written));
      const read = await loadCard(file);
      expect(roundCost(costOfMonth(read, usage, month), read).sum).toBe(calculate(written, usage, month));
    }),
    { numRuns: 1000, seed: SEED },
  );
});

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const two = (number: number): string => String(number).padStart(2, '0');

/** A line, and what it counts for. */
const line = fc
  .record({
    at: fc.integer({ min: Date.UTC(2026, 8, 20) / 1000, max: Date.UTC(2026, 9, 20) / 1000 }),
    zone: fc.constantFrom(0, 2, -5),
    method: fc.constantFrom('GET', 'GET', 'GET', 'HEAD', 'POST'),
    status: fc.constantFrom(200, 200, 304, 404, 206, 410),
    bytes: fc.nat(100_000),
    kind: fc.constantFrom('common', 'combined', 'json', 'robot', 'no request'),
  })
  .map((each) => {
    const { at, zone, method, status, bytes, kind } = each;
    const local = new Date((at + zone * 3600) * 1000);
    const stamp = `${two(local.getUTCDate())}/${MONTHS[local.getUTCMonth()] ?? ''}/${local.getUTCFullYear()}:${local.toISOString().slice(11, 19)} ${zone < 0 ? '-' : '+'}${two(Math.abs(zone))}00`;
    const common = `192.0.2.7 - - [${stamp}] "${method} /a?b HTTP/1.1" ${status} ${bytes === 0 ? '-' : bytes}`;
    const text = {
      common,
      combined: `${common} "https://mill.example/" "Mozilla/5.0 (X11)"`,
      robot: `${common} "-" "millbot/2 (+https://mill.example/bot)"`,
      json: JSON.stringify({ at: new Date(at * 1000).toISOString(), method, target: '/a', status, bytes }),
      'no request': `${stamp} [notice] the wheel turns`,
    }[kind];
    return { ...each, text };
  });

it(`a log is of what its lines are of, in any order, doubled, cut off, packed (FENESTRA_SEED=${SEED})`, async () => {
  const file = join(makeFolder(), 'access.log');
  await fc.assert(
    fc.asyncProperty(
      fc.array(line, { minLength: 2, maxLength: 60 }),
      fc.boolean(),
      fc.boolean(),
      fc.boolean(),
      fc.constantFrom('\n', '\r\n'),
      async (lines, isDoubled, isCut, isPacked, newline) => {
        const all = isDoubled ? [...lines, ...lines] : lines;
        const own = all.filter(({ kind }) => kind !== 'no request');
        const text = `${all.map((each) => each.text + newline).join('')}${isCut ? '192.0.2.7 - - [10/Oct/2026:13:5' : ''}`;
        writeFileSync(file, isPacked ? gzipSync(text) : text);
        const times = own.map(({ at }) => at);
        const seconds = Math.max(...times) - Math.min(...times);
        if (own.length === 0 || seconds === 0) {
          await expect(trafficByLog(file, undefined, SILENT)).rejects.toMatchObject({
            code: own.length === 0 ? 'LOG_UNREADABLE' : 'LOG_TIMELESS',
          });
          return;
        }
        const reads = own.filter(({ method }) => method !== 'POST');
        // Whole numbers below 2^53 are exact.
        const month = (count: number): bigint => {
          const rest = (count * 2_628_000) % seconds;
          return BigInt((count * 2_628_000 - rest) / seconds + (rest > 0 ? 1 : 0));
        };
        const { usage, told } = await trafficByLog(file, undefined, SILENT);
        expect(usage).toMatchObject({
          read: month(reads.length),
          confirmed: month(reads.filter(({ status }) => status === 304).length),
          missing: month(reads.filter(({ status }) => status === 404 || status === 410).length),
          transfer: month(own.reduce((sum, { bytes }) => sum + bytes, 0) + 350 * reads.length),
        });
        expect(told).toMatchObject({
          seconds,
          lines: all.length + (isCut ? 1 : 0),
          unread: all.length - own.length + (isCut ? 1 : 0),
          robots: reads.filter(({ kind }) => kind === 'robot').length,
        });
      },
    ),
    { numRuns: 300, seed: SEED },
  );
});
