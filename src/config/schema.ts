/** The one Yup schema of fenestra.yaml. Faults, `config show`, the JSON Schema and docs/config.md all come from it. */
import { relative, resolve, sep } from 'node:path';
import * as yup from 'yup';
import { isLeftOut } from '../core/site/names.js';
import { MOVED_AS } from '../core/release/store-limits.js';
import { nearestWord } from '../core/words/nearest-word.js';
import { bucketNameFault, suggestBucketName } from '../core/release/bucket-name.js';
import { budgets } from './budget-schema.js';
import { cache } from './cache-field.js';
import { PATTERN_JSON, fail, mapping, namedFaults, oneOf, oneOrMany, pattern, text } from './fields.js';
import {
  bucketHost,
  documents,
  front,
  instead,
  moved,
  naming,
  quirks,
  readable,
  sharedWith,
} from './place-schema.js';
import { rule } from './rule-schema.js';
import { storeNames, stores } from './store-schema.js';
import { versioning } from './versioned-schema.js';

const destination = mapping(
  {
    store: text('the name of a store')
      .required('is missing: `store: here` is the one on this machine')
      .test('store', (value, context) => {
        const known = ['here', ...storeNames(context)];
        return known.includes(value)
          ? true
          : fail(
              context,
              known.length === 1
                ? `"${value}" is no store: there is \`here\`, the one on this machine, and what \`stores:\` names`
                : `"${value}" is not one of ${known.join(', ')}`,
              nearestWord(value, known) ?? (known.length === 1 ? 'here' : undefined),
            );
      })
      .meta({ explain: 'Which store: `here` is the embedded one, others stand under `stores`.' }),
    bucket: text('a bucket name')
      .required('is missing: `bucket: NAME`, lower-case letters, digits and dashes')
      .test('bucket name', (value, context) => {
        const fault = bucketNameFault(value);
        return (
          fault === undefined ||
          fail(
            context,
            `"${value}" cannot be a bucket name: ${fault}${/^www\.|\.[a-z]{2,}$/i.test(value) ? '; host names stand under `domains`' : ''}`,
            suggestBucketName(value),
          )
        );
      })
      .meta({
        explain: "The bucket's name: one DNS label.",
        json: { type: 'string', pattern: '^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]$' },
      }),
    address: text('a web address')
      .test('base address', (value, context) =>
        value === undefined || /^https?:\/\/[^\s/?#]+(?:\/[\w.~$-]+)*\/?$/.test(value)
          ? true
          : fail(
              context,
              'is a base address such as https://www.mill.example/',
              /^[\w-]+(?:\.[\w-]+)+(?::\d+)?\/?$/.test(value) ? `https://${value}` : undefined,
            ),
      )
      .meta({
        explain: 'The public base URL; below a path of its host where a store serves it so.',
        default: "the emulation's",
        json: { type: 'string', format: 'uri' },
      }),
    under: text('a folder')
      .test('folder', (value, context) =>
        value === undefined ||
        /^\/?(?:[\p{L}\p{N}_-][\p{L}\p{N}._-]*\/)*[\p{L}\p{N}_-][\p{L}\p{N}._-]*\/?$/u.test(value)
          ? true
          : fail(
              context,
              `"${value}" is no folder such as docs/: letters, digits, dots, dashes and slashes`,
              'docs/',
            ),
      )
      .meta({
        explain:
          "The folder of the bucket that the site lies in; what lies elsewhere in the bucket is another site's, and left alone.",
        default: 'the whole bucket',
      }),
    documents: documents(),
    readable: readable(),
    moved: moved(MOVED_AS),
    ...instead(),
    quirks: quirks(),
    sharedWith: sharedWith(),
    ...naming(),
    bucketHost: bucketHost(),
    front: front(),
  },
  'A place to publish to; settings here take the place of those at the top.',
);

const destinations = yup
  .object()
  .required('is missing: name at least one')
  .typeError('is a mapping of names to destinations')
  .test('destinations', async (value, context) => {
    const errors = await namedFaults(value, destination, context);
    if (Object.keys(value ?? {}).length === 0)
      errors.push(fail(context, 'has no destination', 'rehearsal: { store: here, bucket: my-site }'));
    return errors.length > 0 ? new yup.ValidationError(errors) : true;
  })
  .meta({ explain: 'Names for places to publish to; the first is the one used without --to.' });

export { budgetSchema } from './budget-schema.js';
export { rule as ruleSchema } from './rule-schema.js';
export { storeSetting as storeSchema } from './store-schema.js';
export const destinationSchema = destination;

export const schema = mapping(
  {
    site: text('a folder')
      .required('is missing: the folder of built files, such as `site: dist`')
      .meta({ explain: 'The folder of built files, relative to this file.' }),
    stores,
    destinations,
    documents: documents(),
    readable: readable(),
    otherwise: cache(
      'The cache policy of what neither a default nor a rule decides; for the whole site, write a rule with to: "**".',
    ).meta({
      default: '1 hour',
    }),
    assign: yup.array().of(rule).typeError('is a list: each rule begins with a dash').meta({
      explain: 'Rules for types, caching and more, in order; a later match wins, property by property.',
    }),
    ...versioning(),
    moved: moved(),
    ...instead(),
    ...naming(),
    quirks: quirks(),
    sharedWith: sharedWith(),
    budgets: budgets(),
    links: oneOf(
      ['inside', 'follow', 'skip'] as const,
      'What becomes of symbolic links: followed when they stay inside the site, always, or never.',
    ).meta({ default: 'inside' }),
    storeFolder: text('a folder')
      .test('outside the site', (value, context) => {
        const { site } = context.parent as { readonly site?: unknown };
        if (value === undefined || typeof site !== 'string') return true;
        const within = relative(resolve(site), resolve(value)).split(sep);
        // What is left out of the site anyway may lie in it.
        return within[0] === '..' || within.some(isLeftOut)
          ? true
          : fail(
              context,
              `"${value}" lies in the site folder, so the store would be published with the site`,
              '.fenestra/store',
            );
      })
      .meta({
        explain: 'Where the embedded store lies, relative to this file.',
        default: '.fenestra/store',
      }),
    allow: oneOrMany(
      pattern(),
      'Keys that are meant to be published although they look as if they were not.',
      PATTERN_JSON,
    ),
    historyDepth: yup
      .number()
      .strict()
      .typeError('is a whole number')
      .integer('is a whole number')
      .min(1, 'is at least 1')
      .meta({ explain: 'How many releases a bucket keeps.', default: '20' }),
  },
  'The config of a site.',
  (name) =>
    Object.hasOwn(destination.fields, name)
      ? `"${name}" is a setting of a destination: it stands there, beside its bucket`
      : undefined,
);
