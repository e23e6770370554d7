/** The one setting for how long something may be kept. */
import * as yup from 'yup';
import { DURATION_PATTERN } from '../core/caching/duration.js';
import type { MAPPING_KEYS } from '../core/caching/mapping.js';
import { parseCache } from '../core/caching/policy.js';
import { fail } from './fields.js';

const DURATION_JSON = { type: 'string', pattern: DURATION_PATTERN };
const CACHE_JSON = {
  anyOf: [
    DURATION_JSON,
    { enum: ['revalidate', 'never', 'forever', 'unset'] },
    { type: 'string', pattern: '^(?:keep )?until \\d{4}-\\d{2}-\\d{2}' },
    { type: 'string', pattern: '^(?:keep |ask every time$|never store$|no cache header$)' },
    {
      type: 'object',
      additionalProperties: false,
      minProperties: 1,
      properties: {
        fresh: {
          anyOf: [DURATION_JSON, { enum: ['revalidate', 'never', 0] }],
          description: 'How long any cache may use it without asking.',
        },
        shared: { ...DURATION_JSON, description: 'How long shared caches may, when it differs.' },
        keptBy: { enum: ['anyone', 'browser'], description: 'Who may keep it.' },
        immutable: { type: 'boolean', description: 'It never changes, so a reload need not ask.' },
        mustRevalidate: { type: 'boolean', description: 'Once stale it is never used without asking.' },
        whileRevalidating: {
          ...DURATION_JSON,
          description: 'How long a stale one may be used while a cache asks.',
        },
        ifError: { ...DURATION_JSON, description: 'How long a stale one may be used when asking fails.' },
        noTransform: { type: 'boolean', description: 'Nobody on the way may change the bytes.' },
        exceptFields: {
          type: 'array',
          items: { type: 'string' },
          minItems: 1,
          description: 'Header fields not to be used again without asking.',
        },
        http10: { type: 'boolean', description: 'Adds the HTTP/1.0 companions.' },
      } satisfies Record<(typeof MAPPING_KEYS)[number], object>,
    },
    {
      type: 'object',
      additionalProperties: false,
      required: ['header'],
      properties: {
        header: { type: 'string', pattern: '\\S', description: 'Cache-Control, sent as written.' },
      },
    },
  ],
};

export const cache = (explain: string) =>
  yup
    .mixed()
    .test('cache', (value, context) => {
      if (value === undefined) return true;
      const result = parseCache(value);
      if ('policy' in result) return true;
      const isRule = typeof value === 'object' && value !== null && ('to' in value || 'type' in value);
      if (isRule)
        return fail(
          context,
          'a rule with `to` or `type` stands under `assign`; this takes a cache value alone',
        );
      const errors = result.faults.map(({ fault, becomes, at }) => fail(context, fault, becomes, at));
      return errors.length === 1 && errors[0] ? errors[0] : new yup.ValidationError(errors);
    })
    .meta({ explain, json: { ...CACHE_JSON, description: explain } });
