/** What the schema of the config is built from: fields with faults that say what was probably meant. */
import * as yup from 'yup';
import { DURATION_PATTERN, parseDuration } from '../core/caching/duration.js';
import { isMediaRange, parseMediaType } from '../core/assign/media-type.js';
import { patternFault } from '../core/assign/pattern.js';
import { typeByName } from '../core/assign/media-type.js';
import { isSecretName, settingElsewhere, settingMeant } from './settings-elsewhere.js';
import { nearestWord } from '../core/words/nearest-word.js';

declare module 'yup' {
  interface CustomSchemaMetadata {
    explain?: string;
    /** The default as people read it, where none is set in the schema. */
    default?: string;
    /** JSON Schema that replaces the generated one. */
    json?: object;
    /** Words that may stand in the place of a mapping; they are written in full before it is validated. */
    words?: readonly string[];
    /** JSON Schema of a shorter form that a mapping may have; it is written in full before it is validated. */
    short?: object;
  }
}

/** A fault's parameters: what was probably meant, and where inside the value it stands. */
export interface FaultParams {
  readonly becomes?: string | undefined;
  /** The fault is in the name of the setting, not in its value. */
  readonly inName?: boolean | undefined;
}

export type Context = yup.TestContext;

export const fail = (
  context: Context,
  message: string,
  becomes?: string,
  below?: string,
): yup.ValidationError =>
  context.createError({
    message,
    params: { becomes },
    ...(below === undefined ? {} : { path: joinPath(context.path, below) }),
  });

export const failName = (
  context: Context,
  message: string,
  becomes: string | undefined,
  name: string,
): yup.ValidationError =>
  context.createError({ message, params: { becomes, inName: true }, path: joinPath(context.path, name) });

const joinPath = (path: string, name: string): string =>
  path === '' || name.startsWith('[') ? path + name : `${path}.${name}`;

export const text = (what: string) => yup.string().strict().typeError(`is ${what}, written as text`);

export const pattern = () =>
  text('a pattern').test('pattern', (value, context) => {
    const fault = value === undefined ? undefined : patternFault(value);
    return fault ? fail(context, fault.fault, fault.becomes) : true;
  });

/** No negation, no dot segment, no white space around it, and no folder in place of what is in it. */
export const PATTERN_JSON = {
  type: 'string',
  minLength: 1,
  pattern: '^(?![!\\s])(?!(?:.*/)?\\.{1,2}(?:/|$)).*[^/\\s]$',
};

export const MEDIA_RANGE_JSON = {
  type: 'string',
  pattern: '^(?:\\*/\\*|[^/\\s*]+/(?:\\*|[^/\\s*]+))$',
};

/** @param example of one */
export const duration = (example: string, explain: string, standard?: string) =>
  text('a duration')
    .test('duration', (value, context) =>
      value === undefined || 'seconds' in parseDuration(value)
        ? true
        : fail(context, `"${value}" is not a duration`, example),
    )
    .meta({
      explain,
      ...(standard === undefined ? {} : { default: standard }),
      json: { type: 'string', pattern: DURATION_PATTERN },
    });

/** A list, or a single value in its place. */
export const oneOrMany = (item: yup.StringSchema, explain: string, itemJson: object = { type: 'string' }) =>
  yup
    .array()
    .of(item.required('is empty'))
    .strict(false)
    .transform((_value, given: unknown) => (typeof given === 'string' ? [given] : given))
    .typeError('takes a text or a list of texts')
    .min(1, 'is empty: name at least one')
    .meta({ explain, json: { anyOf: [itemJson, { type: 'array', items: itemJson, minItems: 1 }] } });

/** `video-webm` and `.webm` for `video/webm`. */
function mediaTypeMeant(value: string): string | undefined {
  if (value.includes('/')) return undefined;
  const [, kind, rest] = /^(application|audio|font|image|model|text|video)\W(\S+)$/i.exec(value) ?? [];
  if (kind !== undefined) return `${kind}/${rest ?? ''}`.toLowerCase();
  const name = value.replace(/\W/g, '');
  return typeByName(`x.${name}`) ?? `text/${name || 'plain'}`;
}

export const contentType = (explain: string) =>
  text('a media type')
    .test('media type', (value, context) => {
      if (value === undefined || parseMediaType(value)) return true;
      return fail(context, `"${value}" is not a media type`, mediaTypeMeant(value));
    })
    .meta({ explain, json: { type: 'string', pattern: '^[^/\\s]+/[^/\\s]+' } });

const KINDS = ['application', 'audio', 'font', 'image', 'model', 'text', 'video'];

/** What people call kinds of files. */
const RANGES_ELSEWHERE: ReadonlyMap<string, string> = new Map([
  ...['picture', 'pictures', 'photo', 'photos', 'img', 'graphics'].map((word) => [word, 'image'] as const),
  ...['sound', 'sounds', 'music'].map((word) => [word, 'audio'] as const),
  ...['film', 'films', 'movie', 'movies'].map((word) => [word, 'video'] as const),
  ...['script', 'scripts', 'javascript'].map((word) => [word, 'text/javascript'] as const),
  ...['style', 'styles', 'stylesheet', 'stylesheets'].map((word) => [word, 'text/css'] as const),
  ...['page', 'pages'].map((word) => [word, 'text/html'] as const),
]);

/** `images` for `image/*`, `.webm` for `video/webm`. */
function rangeMeant(value: string): string | undefined {
  const word = value.toLowerCase();
  const kind = RANGES_ELSEWHERE.get(word) ?? nearestWord(word, KINDS);
  if (kind !== undefined) return kind.includes('/') ? kind : `${kind}/*`;
  return (
    typeByName(`x.${value.replace(/\W/g, '')}`) ?? (value.includes('/') ? undefined : mediaTypeMeant(value))
  );
}

export const mediaRange = text('a media range').test('media range', (value, context) => {
  if (value === undefined || isMediaRange(value)) return true;
  return fail(context, `"${value}" is not a media range`, rangeMeant(value));
});

export const oneOf = <T extends string | number>(choices: readonly T[], explain: string) =>
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

/**
 * A mapping of settings.
 * @param elsewhere says where a setting stands that is none here
 */
export const mapping = <S extends yup.ObjectShape>(
  shape: S,
  explain: string,
  elsewhere?: (name: string) => string | undefined,
) =>
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
          isSecretName(name) && settingMeant(name, Object.keys(shape)) === undefined
            ? failName(context, `"${name}": ${WHERE_SECRETS_GO}`, undefined, quoteName(name))
            : failName(
                context,
                elsewhere?.(name) ?? `"${name}" is not a setting here${ourWord(name, shape)}`,
                elsewhere?.(name) === undefined ? settingMeant(name, Object.keys(shape)) : undefined,
                quoteName(name),
              ),
        );
      return errors.length > 0 ? new yup.ValidationError(errors) : true;
    })
    .meta({ explain });

/** Why a word from elsewhere leads to a setting of ours: what that one is, in a few words; '' for a slip of the pen. */
function ourWord(name: string, shape: yup.ObjectShape): string {
  const meant = settingElsewhere(name, Object.keys(shape));
  const ours = meant === undefined ? undefined : shape[meant];
  const { meta } = ours && 'describe' in ours ? (ours.describe() as { meta?: { explain?: string } }) : {};
  const [, first = '', rest = ''] = /^(\p{Lu}?)([^.:;,]+)/u.exec(meta?.explain ?? '') ?? [];
  return rest === '' ? '' : ` (${meant}: ${first.toLowerCase()}${rest})`;
}

/** What is said of a secret in a config. */
export const WHERE_SECRETS_GO =
  'what to sign in with never stands in the config: set FENESTRA_NAME_USER and FENESTRA_NAME_KEY, with NAME as the store is called, or name a file under `credentials`';

/** A path step that Yup can carry whatever the name holds. */
export const quoteName = (name: string): string =>
  /^\w+$/.test(name) ? name : `["${name.replace(/"/g, '\\"')}"]`;

/** Tests each value of a mapping whose names are free, and says in which the fault is. */
export async function namedFaults(
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
