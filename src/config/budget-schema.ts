/** Settings of budgets: what a page may ask of a visitor. */
import * as yup from 'yup';
import { parseBytes, SIZE_PATTERN } from '../core/words/counts.js';
import {
  BUDGET_FIGURES,
  BUDGET_VISITS,
  type BudgetFigure,
  type BudgetVisit,
} from '../core/visiting/budget.js';
import { PATTERN_JSON, fail, mapping, oneOrMany, pattern } from './fields.js';

const requests = yup
  .number()
  .strict()
  .typeError('is a whole number')
  .integer('is a whole number')
  .min(0, 'is at least 0')
  .meta({ explain: 'Requests, the page itself among them.', json: { type: 'integer', minimum: 0 } });

const bytes = yup
  .mixed<string | number>()
  .test('size', (value, context) =>
    value === undefined || sizeOf(value) !== undefined
      ? true
      : fail(context, `"${String(value)}" is not a size`, '500 KB'),
  )
  .meta({
    explain: 'Bytes on the wire, heads included.',
    json: {
      anyOf: [
        { type: 'integer', minimum: 0 },
        { type: 'string', pattern: SIZE_PATTERN },
      ],
    },
  });

const seconds = yup
  .number()
  .strict()
  .typeError('is a number of seconds')
  .moreThan(0, 'is more than 0')
  .meta({
    explain: "Seconds until everything is there, computed for the line of `fenestra visit`'s --connection.",
    json: { type: 'number', exclusiveMinimum: 0 },
  });

/** Bytes; undefined where it is no size. */
export function sizeOf(value: unknown): number | undefined {
  if (typeof value === 'string') return parseBytes(value);
  return typeof value === 'number' && Number.isSafeInteger(value) && value >= 0 ? value : undefined;
}

const figures = (explain: string) =>
  mapping({ requests, bytes, seconds } satisfies Record<BudgetFigure, yup.Schema>, explain);

const budget = mapping(
  {
    pages: oneOrMany(
      pattern(),
      'The keys of the pages that it is for: a pattern, or a list of them.',
      PATTERN_JSON,
    ).required('is missing: "**" is for every page'),
    ...({
      first: figures('What a visit may ask for that begins with nothing kept.'),
      again: figures('What a visit may ask for right after the first one.'),
    } satisfies Record<BudgetVisit, unknown>),
  },
  'A budget: what each page may ask of a visitor.',
).test('sense', (value, context) => {
  const given = (value ?? {}) as Partial<Record<BudgetVisit, Partial<Record<BudgetFigure, unknown>> | null>>;
  return BUDGET_VISITS.some((visit) => BUDGET_FIGURES.some((figure) => given[visit]?.[figure] !== undefined))
    ? true
    : fail(
        context,
        `the budget limits nothing: name ${BUDGET_FIGURES.join(', ')} under ${BUDGET_VISITS.join(' or ')}`,
        'first: { requests: 40, bytes: 500 KB }',
      );
});

export const budgetSchema = budget;

export const budgets = () =>
  yup.array().of(budget).typeError('is a list: each budget begins with a dash').meta({
    explain:
      'What pages may ask of a visitor at most, held by `check` and `visit`; of several that fit a page the last one that names a figure counts.',
  });
