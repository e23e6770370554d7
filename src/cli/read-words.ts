/** The words of a command line by yargs, which is loaded only where there are options among them. */
import yargs, { type Argv } from 'yargs';
import { FenestraError } from '../core/errors/catalogue.js';
import type { Command } from './command.js';
import { describeMisuse } from './describe-misuse.js';
import { COMMON, commonOptions, type CommonArgs } from './options.js';
import type { ReadArgs } from './read-plain-words.js';

/** @returns undefined where the help was asked for, which then is printed @throws FenestraError USAGE */
export function readWords(
  name: string,
  command: Command<never>,
  given: readonly string[],
): ReadArgs | undefined {
  const words = joinLines(given);
  let read: ReadArgs | undefined;
  let known: readonly string[] = [];
  let parsing: object | undefined;
  const usage = (text: string): FenestraError =>
    new FenestraError('USAGE', {
      what: text,
      fix: `\`fenestra ${name} --help\` lists what it takes.`,
    });
  // As the only command it is yargs' default one: for others the help text is laid out each time, in case it is needed.
  const parser = yargs([...words])
    .scriptName(`fenestra ${name}`)
    .locale('en')
    .parserConfiguration({ 'camel-case-expansion': false })
    .version(false)
    .help('help', 'this help')
    .alias('help', 'h')
    .wrap(Math.min(100, process.stdout.columns || 100))
    .updateStrings({
      'Positionals:': 'Arguments',
      'Options:': 'Options',
      'Commands:': 'Commands',
      'Examples:': 'Examples',
    });
  commonOptions(parser)
    .command(
      `$0${command.positionals === undefined ? '' : ` ${command.positionals}`}`,
      command.describe,
      (parser: Argv) => {
        const common = parser as Argv<CommonArgs>;
        for (const [example, explain] of command.examples) common.example(example, explain);
        parsing = grouped(command.options(common), command.groups);
        known = listOptions(parsing);
        return parsing;
      },
      (args) => {
        assertOnce(args, parsing ?? parser, words, command.positionals);
        read = args as unknown as ReadArgs;
      },
    )
    .strict()
    .exitProcess(false)
    .showHelpOnFail(false)
    .fail((message: string | null, error: Error | undefined) => {
      throw (
        (error?.name === 'YError' ? undefined : error) ??
        usage(
          describeMisuse({
            command: name,
            takes: command.positionals,
            actions: optionsOf(parsing ?? parser)?.choices?.['action'],
            options: known,
            words,
            said: message ?? error?.message ?? 'The command was not understood',
          }),
        )
      );
    })
    .parseSync();
  return read;
}

/** The options by what they are for, where there are many; what every command takes comes last. */
function grouped<T>(parser: Argv<T>, groups: Readonly<Record<string, readonly string[]>> = {}): Argv<T> {
  const all = Object.entries(groups);
  for (const [title, names] of all) parser.group([...names], title);
  return all.length === 0 ? parser : parser.group([...COMMON, 'help'], 'For every command');
}

/** A word that begins with a dash and a blank is no option but the value of the one before it, as a line of YAML is. */
const joinLines = (words: readonly string[]): string[] =>
  words.reduce<string[]>((joined, word) => {
    const before = joined.at(-1);
    if (/^-\s/.test(word) && before !== undefined && /^--[\w-]+$/.test(before))
      joined[joined.length - 1] = `${before}=${word}`;
    else joined.push(word);
    return joined;
  }, []);

/** Options for which nothing is something. */
const MAY_BE_EMPTY = new Set(['note', 'browser']);

interface ParserOptions {
  readonly key: object;
  readonly array: readonly string[];
  readonly number: readonly string[];
  readonly choices?: Readonly<Record<string, readonly string[]>>;
}

const optionsOf = (parser: object): ParserOptions | undefined =>
  (parser as { getOptions?: () => ParserOptions }).getOptions?.();

/** An option that takes one value has one, and one that takes a number has a number. @throws FenestraError USAGE */
function assertOnce(args: object, parser: object, words: readonly string[], positionals = ''): void {
  const options = optionsOf(parser);
  for (const [name, value] of Object.entries(args)) {
    if (name === '_' || name === '$0' || positionals.includes(`${name}..`)) continue;
    const dashes = name.length === 1 ? '-' : '--';
    if (Array.isArray(value) && options?.array.includes(name) !== true)
      throw new FenestraError('USAGE', {
        what: `${dashes}${name} was given ${value.length} times.`,
        fix:
          name === 'matching'
            ? "Give it once; braces name several: --matching '{posters,film}/**'."
            : 'Give it once.',
      });
    const empty = words.find((word) => word === `${dashes}${name}=`);
    if (empty !== undefined && !MAY_BE_EMPTY.has(name))
      throw new FenestraError('USAGE', {
        what: `${dashes}${name} was given without a value.`,
        fix: `Give it one, or leave ${dashes}${name} out.`,
      });
    if (typeof value === 'number' && Number.isNaN(value)) {
      const at = words.findIndex(
        (word) => word === `${dashes}${name}` || word.startsWith(`${dashes}${name}=`),
      );
      const given = words[at]?.includes('=') === true ? words[at]?.split('=')[1] : words[at + 1];
      throw new FenestraError('USAGE', {
        what: `${dashes}${name} "${given ?? ''}" is not a number.`,
        fix: 'Give it in digits.',
      });
    }
  }
}

/** The names of all options that a parser was given; yargs shows them to its own parts alone. */
const listOptions = (parser: object): string[] => Object.keys(optionsOf(parser)?.key ?? {});
