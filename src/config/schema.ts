/** The one Yup schema of fenestra.yaml. Faults, `config show`, the JSON Schema and docs/config.md all come from it. */
import * as yup from 'yup';
import { ASSIGNABLE, PROPERTIES, type Property, type PropertyEntry } from '../core/assign/properties.js';
import { isMediaRange, parseMediaType } from '../core/assign/media-type.js';
import { patternFault } from '../core/assign/pattern.js';
import { parseCache, type MAPPING_KEYS } from '../core/caching/policy.js';
import { nearestWord } from '../core/words/nearest-word.js';
import { QUIRKS } from '../core/hosting/quirks.js';
import { bucketNameFault, suggestBucketName } from '../core/release/bucket-name.js';

declare module 'yup' {
  interface CustomSchemaMetadata {
    explain?: string;
    /** The default as people read it, where none is set in the schema. */
    default?: string;
    /** JSON Schema that replaces the generated one. */
    json?: object;
  }
}

/** A fault's parameters: what was probably meant, and where inside the value it stands. */
export interface FaultParams {
  readonly becomes?: string | undefined;
  /** The fault is in the name of the setting, not in its value. */
  readonly inName?: boolean | undefined;
}

type Context = yup.TestContext;

const fail = (context: Context, message: string, becomes?: string, below?: string): yup.ValidationError =>
  context.createError({
    message,
    params: { becomes },
    ...(below === undefined ? {} : { path: joinPath(context.path, below) }),
  });

const failName = (
  context: Context,
  message: string,
  becomes: string | undefined,
  name: string,
): yup.ValidationError =>
  context.createError({ message, params: { becomes, inName: true }, path: joinPath(context.path, name) });

const joinPath = (path: string, name: string): string =>
  path === '' || name.startsWith('[') ? path + name : `${path}.${name}`;

const text = (what: string) => yup.string().strict().typeError(`is ${what}, written as text`);

const pattern = () =>
  text('a pattern').test('pattern', (value, context) => {
    const fault = value === undefined ? undefined : patternFault(value);
    return fault ? fail(context, fault.fault, fault.becomes) : true;
  });

const PATTERN_JSON = { type: 'string', minLength: 1, pattern: '[^/]$' };

/** A list, or a single value in its place. */
const oneOrMany = (item: yup.StringSchema, explain: string, itemJson: object = { type: 'string' }) =>
  yup
    .array()
    .of(item.required('is empty'))
    .strict(false)
    .transform((_value, given: unknown) => (typeof given === 'string' ? [given] : given))
    .typeError('takes a text or a list of texts')
    .min(1, 'is empty: name at least one')
    .meta({ explain, json: { anyOf: [itemJson, { type: 'array', items: itemJson, minItems: 1 }] } });

const DURATION_JSON = { type: 'string', pattern: '^\\d+ (second|minute|hour|day|week|month|year)s?$' };
const CACHE_JSON = {
  anyOf: [
    DURATION_JSON,
    { enum: ['revalidate', 'never', 'forever', 'unset'] },
    { type: 'string', pattern: '^until \\d{4}-\\d{2}-\\d{2}' },
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
      properties: { header: { type: 'string', description: 'Cache-Control, sent as written.' } },
    },
  ],
};

const cache = (explain: string) =>
  yup
    .mixed()
    .test('cache', (value, context) => {
      if (value === undefined) return true;
      const result = parseCache(value);
      if ('policy' in result) return true;
      const errors = result.faults.map(({ fault, becomes, at }) => fail(context, fault, becomes, at));
      return errors.length === 1 && errors[0] ? errors[0] : new yup.ValidationError(errors);
    })
    .meta({ explain, json: { ...CACHE_JSON, description: explain } });

const contentType = (explain: string) =>
  text('a media type')
    .test('media type', (value, context) => {
      if (value === undefined || parseMediaType(value)) return true;
      return fail(
        context,
        `"${value}" is not a media type`,
        value.includes('/') ? undefined : `text/${value.replace(/\W/g, '') || 'plain'}`,
      );
    })
    .meta({ explain, json: { type: 'string', pattern: '^[^/\\s]+/[^/\\s]+' } });

const mediaRange = text('a media range').test('media range', (value, context) => {
  if (value === undefined || isMediaRange(value)) return true;
  return fail(context, `"${value}" is not a media range`, /^\w+$/.test(value) ? `${value}/*` : undefined);
});

const oneOf = <T extends string | number>(choices: readonly T[], explain: string) =>
  yup
    .mixed<T>()
    .test('choice', (value, context) => {
      if (value === undefined || choices.includes(value)) return true;
      return fail(
        context,
        `"${String(value)}" is not one of ${choices.join(', ')}`,
        nearestWord(String(value), choices.map(String)),
      );
    })
    .meta({ explain, json: { enum: [...choices] } });

const mapping = <S extends yup.ObjectShape>(shape: S, explain: string) =>
  yup
    .object(shape)
    .strict(false)
    .default(undefined)
    .typeError('is a mapping: `name: value` lines')
    .test('known names', (_value, context) => {
      const given: unknown = context.originalValue;
      if (typeof given !== 'object' || given === null || Array.isArray(given)) return true;
      const errors = Object.keys(given)
        .filter((name) => !Object.hasOwn(shape, name))
        .map((name) =>
          failName(
            context,
            `"${name}" is not a setting here`,
            nearestWord(name, Object.keys(shape)),
            quoteName(name),
          ),
        );
      return errors.length > 0 ? new yup.ValidationError(errors) : true;
    })
    .meta({ explain });

/** A path step that Yup can carry whatever the name holds. */
const quoteName = (name: string): string => (/^\w+$/.test(name) ? name : `["${name.replace(/"/g, '\\"')}"]`);

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

const rule = mapping(
  {
    to: oneOrMany(pattern(), 'The keys that it is for: a pattern, or a list of them.', PATTERN_JSON),
    type: oneOrMany(mediaRange, 'The types that it is for: media ranges such as image/*.'),
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
  if (given['to'] === undefined && given['type'] === undefined)
    return fail(context, 'the rule is for nothing: it has neither `to` nor `type`', 'to: "**"');
  if (given['type'] !== undefined && given['contentType'] !== undefined) {
    return fail(
      context,
      'a rule cannot have both `type` and `contentType`: types are settled before rules by type take part',
      'to: a pattern',
      'type',
    );
  }
  const gives = PROPERTIES.some((name) => given[name] !== undefined);
  return gives || fail(context, 'the rule gives nothing: add `cache` or `contentType`', 'cache: 1 hour');
});

const movedTable = (explain: string) =>
  yup
    .object()
    .default(undefined)
    .typeError('is a mapping of addresses to targets')
    .test('addresses', (value, context) => {
      const errors: yup.ValidationError[] = [];
      for (const [from, to] of Object.entries((value ?? {}) as Record<string, unknown>)) {
        const at = quoteName(from);
        if (!from.startsWith('/'))
          errors.push(failName(context, `the address "${from}" does not start with a slash`, `/${from}`, at));
        if (/[?#]/.test(from))
          errors.push(
            failName(
              context,
              `the address "${from}" has a query or fragment, which plays no part`,
              from.replace(/[?#].*/, ''),
              at,
            ),
          );
        if (from.includes('*') && !/^[^*]*\/\*$/.test(from))
          errors.push(
            failName(
              context,
              `"${from}": a star stands only at the end, after a slash`,
              `${from.replace(/\*.*/, '').replace(/\/?$/, '')}/*`,
              at,
            ),
          );
        if (typeof to !== 'string' || !/^(?:\/|https?:\/\/[^/\s])[^\s\u0000-\u001f]*$|^\/$/.test(to))
          errors.push(
            fail(
              context,
              `the target of "${from}" is neither an address on this site (/…) nor a web address (https://…)`,
              undefined,
              at,
            ),
          );
        else if (/[^\x21-\x7e]/.test(to))
          errors.push(
            fail(
              context,
              `the target "${to}" has letters that an address writes percent-encoded`,
              encodeURI(to),
              at,
            ),
          );
        else if (/^\/[/\\]/.test(to) || to.includes('\\'))
          errors.push(
            fail(
              context,
              `the target "${to}" would be read as the address of another site`,
              `/${to.replace(/^[/\\]+/, '').replaceAll('\\', '/')}`,
              at,
            ),
          );
        else if (to.includes('*') && !/^(?:https?:\/\/[^/?#*]+)?\/[^?#*]*\*/.test(to))
          errors.push(
            fail(
              context,
              `the target "${to}" has its star where it could change the host: it stands only in the path, after its first slash`,
              undefined,
              at,
            ),
          );
        else if (to.split('*').length > 2 || (to.includes('*') && !from.endsWith('/*')))
          errors.push(fail(context, `the target "${to}" has a star that nothing stands for`, undefined, at));
      }
      return errors.length > 0 ? new yup.ValidationError(errors) : true;
    })
    .meta({
      explain,
      json: { type: 'object', propertyNames: { pattern: '^/' }, additionalProperties: { type: 'string' } },
    });

const documents = () =>
  mapping(
    {
      index: text('a file name')
        .test('name', (value, context) =>
          value?.includes('/')
            ? fail(
                context,
                'an index document is a name alone: it answers for every folder',
                value.split('/').pop(),
              )
            : true,
        )
        .meta({ explain: 'The document that answers for a folder.', default: 'index.html' }),
      error: text('a key')
        .test('key', (value, context) =>
          value?.startsWith('/')
            ? fail(context, 'a key has no leading slash', value.replace(/^\/+/, ''))
            : true,
        )
        .meta({ explain: 'The document that answers for a mistake.', default: 'none' }),
    },
    'Which documents answer for a folder and for a mistake.',
  );

const readable = () =>
  mapping(
    {
      keys: oneOrMany(pattern(), 'The keys that anyone may read.', PATTERN_JSON),
      except: oneOrMany(pattern(), 'Keys among them that nobody may.', PATTERN_JSON),
    },
    'The public-read policy. Without it, everything but names that look secret.',
  );

const moved = () =>
  mapping(
    {
      permanently: movedTable('Addresses that moved for good (301).'),
      temporarily: movedTable('Addresses that moved for a while (302).'),
    },
    'Addresses that answer with a redirect.',
  );

const quirks = () =>
  mapping(
    Object.fromEntries(
      Object.entries(QUIRKS).map(([name, { choices, explain }]) => [
        name,
        oneOf<string | number>(choices, explain),
      ]),
    ),
    'Points on which real hosts differ, and what the emulation does.',
  );

const domains = () =>
  oneOrMany(
    text('a host name').matches(
      /^[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)+$/,
      'is a host name such as www.mill.example, in lower case',
    ),
    'Host names that the bucket answers to.',
  );

/** The stores that the config names, wherever in it a test stands. */
function storeNames({ options }: Context): string[] {
  const stores = (options.context as { readonly stores?: unknown } | undefined)?.stores;
  return typeof stores === 'object' && stores !== null ? Object.keys(stores) : [];
}

const storeSetting = mapping(
  {
    kind: text('a kind of store').meta({ explain: 'What kind of store it is: docs/stores.md lists them.' }),
    folder: text('a folder').meta({
      explain: 'Where a store on this machine lies, relative to this file.',
      default: '.fenestra/NAME',
    }),
    module: text('a path').meta({
      explain: 'A module of your own that makes the store, relative to this file.',
    }),
    options: yup
      .object()
      .default(undefined)
      .typeError('is a mapping: `name: value` lines')
      .meta({ explain: 'What such a module is given; never a secret.', json: { type: 'object' } }),
  },
  'A store beside `here`.',
).test('sense', (value, context) => {
  const given = (value ?? {}) as Record<string, unknown>;
  return (
    given['kind'] !== undefined ||
    given['module'] !== undefined ||
    fail(context, 'the store has neither `kind` nor `module`', 'kind: embedded')
  );
});

const destination = mapping(
  {
    store: text('the name of a store')
      .required('is missing')
      .test('store', (value, context) => {
        const known = ['here', ...storeNames(context)];
        return known.includes(value)
          ? true
          : fail(context, `"${value}" is not one of ${known.join(', ')}`, nearestWord(value, known));
      })
      .meta({ explain: 'Which store: `here` is the embedded one, others stand under `stores`.' }),
    bucket: text('a bucket name')
      .required('is missing')
      .test('bucket name', (value, context) => {
        const fault = bucketNameFault(value);
        return (
          fault === undefined ||
          fail(context, `"${value}" cannot be a bucket name: ${fault}`, suggestBucketName(value))
        );
      })
      .meta({
        explain: "The bucket's name: one DNS label.",
        json: { type: 'string', pattern: '^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]$' },
      }),
    address: text('a web address')
      .matches(/^https?:\/\/[^\s/?#]+\/?$/, 'is a base address such as https://www.mill.example/')
      .meta({
        explain: 'The public base URL.',
        default: "the emulation's",
        json: { type: 'string', format: 'uri' },
      }),
    documents: documents(),
    readable: readable(),
    moved: moved(),
    quirks: quirks(),
    domains: domains(),
  },
  'A place to publish to; settings here take the place of those at the top.',
);

/** Tests each value of a mapping whose names are free, and says in which the fault is. */
async function namedFaults(
  value: unknown,
  each: { required(): { validate(value: unknown, options: object): Promise<unknown> } },
  context: Context,
): Promise<yup.ValidationError[]> {
  const errors: yup.ValidationError[] = [];
  for (const [name, given] of Object.entries((value ?? {}) as Record<string, unknown>)) {
    const path = joinPath(context.path, quoteName(name));
    try {
      await each
        .required()
        .validate(given ?? {}, { abortEarly: false, strict: false, context: context.options.context });
    } catch (error) {
      if (!(error instanceof yup.ValidationError)) throw error;
      for (const inner of error.inner.length > 0 ? error.inner : [error]) {
        const params = inner.params as FaultParams | undefined;
        errors.push(
          context.createError({
            path: inner.path ? `${path}.${inner.path}` : path,
            message: inner.message,
            params: { becomes: params?.becomes, inName: params?.inName },
          }),
        );
      }
    }
  }
  return errors;
}

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

const stores = yup
  .object()
  .default(undefined)
  .typeError('is a mapping of names to stores')
  .test('stores', async (value, context) => {
    const errors = await namedFaults(value, storeSetting, context);
    if (value && Object.hasOwn(value, 'here'))
      errors.push(
        failName(
          context,
          '"here" is the embedded store, which is always there; `storeFolder` says where',
          undefined,
          'here',
        ),
      );
    return errors.length > 0 ? new yup.ValidationError(errors) : true;
  })
  .meta({ explain: 'Names for stores beside `here`, which is always there.' });

export const storeSchema = storeSetting;
export const destinationSchema = destination;
export const ruleSchema = rule;

export const schema = mapping(
  {
    site: text('a folder')
      .required('is missing')
      .meta({ explain: 'The folder of built files, relative to this file.' }),
    stores,
    destinations,
    documents: documents(),
    readable: readable(),
    otherwise: cache('The cache policy of what neither a default nor a rule decides.').meta({
      default: '1 hour',
    }),
    assign: yup
      .array()
      .of(rule)
      .typeError('is a list: each rule begins with a dash')
      .meta({ explain: 'Rules, in order; a later match wins, property by property.' }),
    moved: moved(),
    domains: domains(),
    quirks: quirks(),
    links: oneOf(
      ['inside', 'follow', 'skip'] as const,
      'What becomes of symbolic links: followed when they stay inside the site, always, or never.',
    ).meta({ default: 'inside' }),
    storeFolder: text('a folder').meta({
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
);
