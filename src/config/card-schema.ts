/** The one Yup schema of rate cards. Faults and their JSON Schema come from it. */
import * as yup from 'yup';
import { parseDuration } from '../core/caching/duration.js';
import { parseExact, ROUNDINGS } from '../core/cost/exact.js';
import { parseBytes, SIZE_PATTERN } from '../core/words/counts.js';
import { fail, mapping, oneOf, text } from './fields.js';

const MAX_REQUESTS = 1e15;

/** A number as it is written; YAML has made one of it already, or it stands in quotes. */
const price = (explain: string) =>
  yup
    .mixed<string | number>()
    .test('price', (value, context) => {
      if (value === undefined) return true;
      const isPrice =
        (typeof value === 'number' || typeof value === 'string') && parseExact(String(value)) !== undefined;
      return isPrice
        ? true
        : fail(
            context,
            `"${String(value)}" is not a price: digits, and a point before parts of the unit`,
            '"0.023"',
          );
    })
    .meta({
      explain,
      json: {
        anyOf: [
          { type: 'number', minimum: 0 },
          { type: 'string', pattern: '^[0-9]{1,15}([.][0-9]{1,20})?([eE][+-]?[0-9]{1,2})?$' },
        ],
      },
    });

const bytes = (explain: string) =>
  text('a size')
    .test('size', (value, context) =>
      value === undefined || (parseBytes(value) ?? 0) > 0
        ? true
        : fail(context, `"${value}" is not a size`, '1 GB'),
    )
    .meta({ explain, json: { type: 'string', pattern: SIZE_PATTERN } });

const count = (explain: string) =>
  yup
    .number()
    .strict()
    .typeError('is a whole number')
    .integer('is a whole number')
    .min(1, 'is at least 1')
    .max(MAX_REQUESTS, 'is too large')
    .meta({ explain, json: { type: 'integer', minimum: 1 } });

const rate = (
  amount: (explain: string) => ReturnType<typeof bytes> | ReturnType<typeof count>,
  per: string,
  what: string,
) =>
  mapping(
    {
      per: amount(`How much a price is for.`).meta({ default: per }),
      price: price('For all that is not free, where there is one price.'),
      tiers: yup
        .array()
        .of(
          mapping(
            {
              amount: amount('How much fits into it; absent in the last, which takes the rest.'),
              price: price('For as much as `per`.').required('is missing'),
            },
            'Filled in the order in which they stand.',
          ),
        )
        .typeError('is a list: each tier begins with a dash')
        .test('last', (value, context) => {
          const tiers = (value ?? []) as readonly { readonly amount?: unknown }[];
          const open = tiers.findIndex((tier) => tier.amount === undefined);
          if (value !== undefined && tiers.length === 0)
            return fail(context, 'has no tier', '- { price: 0.02 }');
          if (open >= 0 && open < tiers.length - 1)
            return fail(
              context,
              'takes the rest, and another tier stands behind it',
              'amount: 50 TB',
              `[${open}]`,
            );
          return tiers.length === 0 || open >= 0
            ? true
            : fail(
                context,
                'ends: the last tier has no `amount`, so that it takes the rest',
                undefined,
                `[${tiers.length - 1}]`,
              );
        })
        .meta({ explain: 'Prices that depend on how much it is, in the order in which they are filled.' }),
      free: mapping(
        {
          amount: amount('How much of each month costs nothing.').required('is missing'),
          months: count('In the first so many months.').meta({ default: 'for good' }),
        },
        'What costs nothing, before the first tier.',
      ),
      wholeUnits: yup
        .boolean()
        .typeError('is true or false')
        .meta({
          explain: 'Whether what was begun counts whole.',
          default: 'false',
          json: { type: 'boolean' },
        }),
    },
    what,
  ).test('price', (value, context) => {
    const { price: one, tiers } = (value ?? {}) as { readonly price?: unknown; readonly tiers?: unknown };
    if (value === undefined || value === null) return true;
    if (one !== undefined && tiers !== undefined)
      return fail(context, 'has a price and tiers', 'tiers alone');
    return (
      one !== undefined ||
      tiers !== undefined ||
      fail(context, 'has neither `price` nor `tiers`', 'price: 0.02')
    );
  });

export const cardSchema = mapping(
  {
    card: text('a name').required('is missing').meta({ explain: 'What the card is called.' }),
    currency: text('a currency')
      .required('is missing')
      .matches(/^[A-Z]{3}$/, 'is three capital letters such as EUR')
      .meta({ explain: 'Of all its prices (ISO 4217).' }),
    decimals: yup
      .number()
      .strict()
      .typeError('is a whole number')
      .integer('is a whole number')
      .min(0, 'is from 0 to 6')
      .max(6, 'is from 0 to 6')
      .meta({
        explain: 'Places that the sum of a month is rounded to, once.',
        default: '2',
        json: { type: 'integer', minimum: 0, maximum: 6 },
      }),
    rounding: oneOf(ROUNDINGS, 'How the sum is rounded.').meta({ default: 'half-up' }),
    date: text('a day')
      .matches(/^\d{4}-\d{2}-\d{2}$/, 'is a day such as 2026-10-01')
      .meta({ explain: 'When the prices were read.' }),
    storage: rate(bytes, '1 GB', 'What is held, for a month.'),
    storedAtLeast: text('a duration')
      .test('duration', (value, context) =>
        value === undefined || 'seconds' in parseDuration(value)
          ? true
          : fail(context, `"${value}" is no duration`, '"30 days"'),
      )
      .meta({
        explain: 'For how long each object is paid at least, also where it is taken away or replaced before.',
        default: 'as long as it is held',
        json: { type: 'string' },
      }),
    requests: mapping(
      {
        read: rate(count, '1', 'GET and HEAD.'),
        confirmed: rate(count, '1', 'Of them, those answered with 304; as `read` where it is left out.'),
        missing: rate(count, '1', 'Of them, those answered with 404; as `read` where it is left out.'),
        write: rate(count, '1', 'What puts, copies or removes an object.'),
        list: rate(count, '1', 'What lists a bucket.'),
      },
      'Requests by kind.',
    ),
    transfer: rate(bytes, '1 GB', 'What is sent out.'),
    front: mapping(
      {
        storage: rate(bytes, '1 GB', 'What its copies take, for a month.'),
        requests: rate(count, '1', 'What visitors ask of it.'),
        transfer: rate(bytes, '1 GB', 'What it sends to visitors.'),
        fixed: price('What it costs each month, whatever it does.').meta({ default: '0' }),
      },
      'A cache for everybody before the bucket (`front` of a destination).',
    ),
    minimum: price('What a month costs at least, before tax.').meta({ default: '0' }),
    tax: text('a part such as 20%')
      .matches(/^\d{1,3}(?:\.\d{1,4})? ?%$/, 'is a part such as 20%')
      .meta({
        explain: 'What comes on top of the sum.',
        default: 'none',
        json: { type: 'string', pattern: '^[0-9.]+ ?%$' },
      }),
  },
  'A rate card.',
);
