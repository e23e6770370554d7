/** The schema of a rule under `assign`. */
import * as yup from 'yup';
import { ASSIGNABLE, PROPERTIES, type Property, type PropertyEntry } from '../core/assign/properties.js';
import { cache } from './cache-field.js';
import { settingMeant } from './settings-elsewhere.js';
import {
  MEDIA_RANGE_JSON,
  PATTERN_JSON,
  contentType,
  fail,
  mapping,
  mediaRange,
  oneOf,
  oneOrMany,
  pattern,
  text,
} from './fields.js';

/** The schema of a property, by its shape. */
function assignable({ shape, explain }: PropertyEntry): yup.Schema {
  switch (shape.is) {
    case 'media type':
      return contentType(explain);
    case 'cache':
      return cache(explain);
    case 'choice':
      return oneOf(shape.choices, explain);
    case 'text':
      return text(shape.what)
        .matches(shape.pattern, shape.fault)
        .meta({
          explain,
          json: { type: 'string', ...(shape.json === undefined ? {} : { pattern: shape.json }) },
        });
  }
}

export const rule = mapping(
  {
    to: oneOrMany(pattern(), 'The keys that it is for: a pattern, or a list of them.', PATTERN_JSON),
    type: oneOrMany(mediaRange, 'The types that it is for: media ranges such as image/*.', MEDIA_RANGE_JSON),
    ifUnset: yup
      .boolean()
      .strict()
      .typeError('is true or false')
      .meta({ explain: 'Yields to any other rule, and to every default but the last.' }),
    ...(Object.fromEntries(
      PROPERTIES.map((property) => [property, assignable(ASSIGNABLE[property])]),
    ) as Record<Property, ReturnType<typeof assignable>>),
  },
  'A rule: what it is for (`to`, `type`) and what it gives.',
).test('sense', (value, context) => {
  const given = (value ?? {}) as Record<string, unknown>;
  // What was meant by other names is told where they stand.
  const names = ['to', 'type', ...PROPERTIES];
  const original: unknown = context.originalValue;
  const meant = Object.keys(typeof original === 'object' && original !== null ? original : {}).map((name) =>
    settingMeant(name, names),
  );
  const isMeant = (name: string): boolean => meant.some((each) => each?.split(':', 1)[0] === name);
  if (!isMeant('to') && !isMeant('type'))
    return fail(context, 'the rule is for nothing: it has neither `to` nor `type`', 'to: "**"');
  if (given['type'] !== undefined && given['contentType'] !== undefined) {
    return fail(
      context,
      'a rule cannot have both `type` and `contentType`: types are settled before rules by type take part',
      'to: a pattern',
      'type',
    );
  }
  const gives = PROPERTIES.some(isMeant);
  return gives || fail(context, 'the rule gives nothing: add `cache` or `contentType`', 'cache: 1 hour');
});
