/** Settings of versioned names. */
import * as yup from 'yup';
import { parseDuration, DURATION_PATTERN } from '../core/caching/duration.js';
import { versionedFault } from '../core/versioning/versionable.js';
import { DEFAULT_FORM, versionedNameFault } from '../core/versioning/versioned-name.js';
import { PATTERN_JSON, fail, oneOrMany, pattern, text, type Context } from './fields.js';

interface RawDocuments {
  readonly index?: unknown;
  readonly error?: unknown;
  readonly app?: unknown;
}

/** The names of the documents at the top of the config. */
function documentNames({ parent, options }: Context): string[] {
  const { documents } = ((options as { from?: readonly { value: unknown }[] }).from?.at(-1)?.value ??
    parent) as {
    readonly documents?: RawDocuments | null;
  };
  return [documents?.index ?? 'index.html', documents?.error, documents?.app].filter(
    (name) => typeof name === 'string',
  );
}

const versionedPattern = () =>
  pattern().test('found by its address', (value, context) => {
    const fault = value === undefined ? undefined : versionedFault(value, documentNames(context));
    return fault ? fail(context, fault.fault, fault.becomes) : true;
  });

export const versioning = () => ({
  versioned: oneOrMany(
    versionedPattern(),
    'Keys that are published under a name with a hash of their content, with every reference to them rewritten.',
    PATTERN_JSON,
  ).typeError('takes patterns; without it no name is versioned'),
  versionedName: text('a form of names')
    .test('form', (value, context) => {
      const fault = value === undefined ? undefined : versionedNameFault(value);
      return fault ? fail(context, fault.fault, fault.becomes) : true;
    })
    .meta({ explain: 'The form of versioned names.', default: DEFAULT_FORM }),
  keepPlain: yup
    .mixed<true | string[]>()
    .transform((value: unknown) => (typeof value === 'string' ? [value] : value))
    .test('patterns', async (value: unknown, context) => {
      if (value === undefined || value === true || value === false) return true;
      if (!Array.isArray(value) || value.length === 0)
        return fail(context, 'takes true, false or a list of patterns', 'true');
      const errors: yup.ValidationError[] = [];
      for (const [at, each] of value.entries()) {
        try {
          await pattern().required('is empty').validate(each);
        } catch (error) {
          if (!(error instanceof yup.ValidationError)) throw error;
          const { becomes } = (error.params ?? {}) as { readonly becomes?: string };
          errors.push(fail(context, error.message, becomes, `[${at}]`));
        }
      }
      return errors.length > 0 ? new yup.ValidationError(errors) : true;
    })
    .meta({
      explain:
        'What is published under its plain name as well, so that whatever names it goes on working: all that is versioned (true), patterns, or nothing but what some text names in a way that cannot be rewritten (false).',
      default: 'true',
      json: {
        anyOf: [{ type: 'boolean' }, PATTERN_JSON, { type: 'array', items: PATTERN_JSON, minItems: 1 }],
      },
    }),
  keepRemoved: yup
    .mixed<string | 0>()
    .test('time', (value: unknown, context) => {
      if (value === undefined || value === 0 || value === 'computed') return true;
      if (typeof value !== 'string')
        return fail(
          context,
          'takes computed, a duration or 0',
          typeof value === 'number' ? `${value} days` : 'computed',
        );
      const parsed = parseDuration(value);
      return 'seconds' in parsed ? true : fail(context, parsed.fault, parsed.becomes ?? 'computed');
    })
    .meta({
      explain:
        'How long an object stays that pages in browsers may still ask for: computed from what those pages were sent with, a duration at most, or 0.',
      default: 'computed where something is versioned, else 0',
      json: {
        anyOf: [{ enum: ['computed', 0] }, { type: 'string', pattern: DURATION_PATTERN }],
      },
    }),
});
