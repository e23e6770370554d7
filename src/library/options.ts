/** What every call of the library takes: one schema each, which knows no other options and no other types. */
import * as yup from 'yup';
import { FenestraError } from '../core/errors/catalogue.js';
import { nearestWord } from '../core/words/nearest-word.js';

declare module 'yup' {
  interface CustomSchemaMetadata {
    /** What a value has to be, as a phrase. */
    takes?: string;
    choices?: readonly string[];
  }
}

const LEVELS = ['error', 'warning', 'note'] as const;
const text = () =>
  yup
    .string()
    .strict()
    .min(1)
    .matches(/^[^\0]*$/)
    .typeError('text')
    .meta({ takes: 'text that is not empty, without null characters' });
const flag = () => yup.boolean().strict().typeError('true or false');
const seconds = () => yup.number().strict().positive().typeError('a number of seconds');
const whole = (from: number, to: number) =>
  yup
    .number()
    .strict()
    .integer()
    .min(from)
    .max(to)
    .typeError(`a whole number from ${from} to ${to}`)
    .meta({ takes: `a whole number from ${from} to ${to}` });
const oneOf = <T extends string>(choices: readonly T[]) =>
  yup
    .string()
    .strict()
    .oneOf(choices)
    .typeError(`one of ${choices.join(', ')}`)
    .meta({ takes: `one of ${choices.map((choice) => `'${choice}'`).join(', ')}`, choices });
const checked = (takes: string, isGood: (value: unknown) => boolean) =>
  yup
    .mixed()
    .test('shape', (value) => value === undefined || isGood(value))
    .meta({ takes });
const address = () =>
  checked('an address, as text or a URL', (value) => typeof value === 'string' || value instanceof URL);
const headers = () =>
  checked(
    'names to values, both text',
    (value) => isPlain(value) && Object.values(value).every((each) => typeof each === 'string'),
  );
const functions = (...names: readonly string[]) =>
  checked(
    `an object with the functions ${names.join(', ')}`,
    (value) =>
      typeof value === 'object' &&
      value !== null &&
      names.every((name) => typeof (value as Record<string, unknown>)[name] === 'function'),
  );
const isPlain = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

const asked = { answerTime: seconds(), ca: text() };

/** The options of each call, by its name. */
const OPTIONS: Readonly<Record<string, Readonly<Record<string, yup.Schema>>>> = {
  openProject: { config: text(), to: text(), progress: functions('step', 'advance', 'remark') },
  survey: { matching: text(), type: text(), rule: whole(1, 100_000) },
  publish: {
    dryRun: flag(),
    agreed: text(),
    matching: text(),
    like: text(),
    overForeign: checked('true, false or a pattern', (value) => ['boolean', 'string'].includes(typeof value)),
    note: yup.string().strict().typeError('text'),
    sure: text(),
    prove: checked(
      "true, false or { failOn: 'error' }",
      (value) =>
        typeof value === 'boolean' ||
        (isPlain(value) &&
          Object.entries(value).every(
            ([name, level]) =>
              name === 'failOn' && (level === undefined || LEVELS.some((each) => each === level)),
          )),
    ),
  },
  check: {
    at: address(),
    both: flag(),
    all: flag(),
    everywhere: flag(),
    expect: oneOf(['open', 'closed']),
    failOn: oneOf(LEVELS),
    concurrency: whole(1, 256),
    rate: whole(1, 100_000),
    runTime: seconds(),
    ...asked,
  },
  trace: { method: text(), headers: headers(), at: address(), ...asked },
  serve: { unpublished: flag(), port: whole(0, 65_535), host: text() },
  fetch: { method: text(), headers: headers() },
};

/**
 * What a call was given, once all of it is known and of its type.
 * @throws FenestraError USAGE
 */
export function assertOptions(call: string, given: unknown): void {
  const fields = OPTIONS[call] ?? {};
  if (given === undefined) return;
  if (!isPlain(given))
    throw misuse(`${call}() takes its options as an object, and was given ${nameOf(given)}.`, fields);
  for (const [name, value] of Object.entries(given)) {
    const field = Object.hasOwn(fields, name) ? fields[name] : undefined;
    if (!field) {
      const near = nearestWord(name, Object.keys(fields));
      throw misuse(
        `${call}() has no option ${JSON.stringify(name)}.${near === undefined ? '' : ` Did you mean ${near}?`}`,
        fields,
      );
    }
    if (value === undefined || field.isValidSync(value)) continue;
    const { meta } = field.describe() as { meta?: { takes?: string; choices?: readonly string[] } };
    const near = typeof value === 'string' ? nearestWord(value, meta?.choices ?? []) : undefined;
    throw misuse(
      `The option ${name} of ${call}() takes ${meta?.takes ?? takesOf(field)}, and was given ${nameOf(value)}.${near === undefined ? '' : ` Did you mean '${near}'?`}`,
      fields,
    );
  }
}

/** What a call was given as a word. @throws FenestraError USAGE */
export function assertWord<T extends string>(what: string, given: unknown, choices: readonly T[]): T {
  const known = choices.find((choice) => choice === given);
  if (known !== undefined) return known;
  const near = typeof given === 'string' ? nearestWord(given, choices) : undefined;
  throw new FenestraError('USAGE', {
    what: `${what} takes ${choices.map((choice) => `'${choice}'`).join(' or ')}, and was given ${nameOf(given)}.`,
    fix: near === undefined ? 'Give one of them.' : `Did you mean '${near}'?`,
  });
}

/** @throws FenestraError USAGE */
export function assertText(what: string, given: unknown): string {
  if (typeof given === 'string' && given !== '') return given;
  throw new FenestraError('USAGE', {
    what: `${what} is text, and was given as ${nameOf(given)}.`,
    fix: 'Give it as text.',
  });
}

/** @throws FenestraError USAGE */
export function assertNumber(what: string, given: unknown): number {
  if (typeof given === 'number') return given;
  throw new FenestraError('USAGE', {
    what: `${what} is a number, and was given as ${nameOf(given)}.`,
    fix: 'Give it as a number.',
  });
}

const takesOf = (field: yup.Schema): string =>
  ({ boolean: 'true or false', string: 'text that is not empty', number: 'a number above 0' })[field.type] ??
  'something else';

function nameOf(value: unknown): string {
  if (value === null || value === undefined) return String(value);
  if (typeof value === 'string') return value.length > 40 ? 'a long text' : JSON.stringify(value);
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  return Array.isArray(value) ? 'a list' : `a ${typeof value}`.replace('a object', 'an object');
}

const misuse = (what: string, fields: Readonly<Record<string, unknown>>): FenestraError =>
  new FenestraError('USAGE', {
    what,
    fix: `It takes ${Object.keys(fields).join(', ') || 'none'}: docs/library.md.`,
  });
