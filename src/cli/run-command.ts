/** Runs one command: options by yargs, failures to one short paragraph and an exit code. */
import yargs, { type Argv } from 'yargs';
import { EXIT, FenestraError } from '../core/errors/catalogue.js';
import { asSystemError } from '../core/errors/system-error.js';
import {
  completeCommands,
  createCommandLine,
  plainCommand,
  type CommandLine,
} from '../core/words/command-line.js';
import { nearPaths } from '../core/words/near-paths.js';
import { nearestWord } from '../core/words/nearest-word.js';
import { visible } from '../report/text/paint.js';
import { wrapLines } from '../report/text/wrap.js';
import type { Command, RunAgain } from './command.js';
import type { TableEntry } from './command-table.js';
import { COMMANDS_ELSEWHERE } from './words-elsewhere.js';
import { describeMisuse } from './describe-misuse.js';
import { commonOptions, type CommonArgs } from './options.js';
import { createTerminal, hasPrintedJson, printDocument } from './terminal.js';

/** @param take is given the command's document, which then is not printed */
export async function runCommand(
  words: readonly string[],
  table: readonly TableEntry[],
  take?: (document: unknown) => void,
): Promise<number> {
  const debug = words.includes('--debug');
  let command = plainCommand;
  try {
    const asked = words[0] === 'help' && words[1] !== undefined ? [words[1], '--help'] : words;
    const entry = findEntry(asked, table);
    const at = asked.indexOf(entry.name);
    return await runEntry(
      entry,
      await entry.load(),
      [...asked.slice(0, at), ...asked.slice(at + 1)],
      (again, takeAgain) => runCommand(again, table, takeAgain),
      (made) => (command = made),
      take,
    );
  } catch (error) {
    return reportFailure(error, debug, command, words.includes('--json'));
  }
}

/** Options that every command takes and that are followed by a value of their own. */
const WITH_VALUE = new Set(['--config', '--progress']);

function findEntry(words: readonly string[], table: readonly TableEntry[]): TableEntry {
  const name = words.find((word, at) => !word.startsWith('-') && !WITH_VALUE.has(words[at - 1] ?? ''));
  const entry = table.find((each) => each.name === name);
  if (entry) return entry;
  const names = table.map((each) => each.name);
  const meant = name === undefined ? undefined : COMMANDS_ELSEWHERE.get(name.toLowerCase());
  const near = name === undefined ? undefined : nearestWord(name, names);
  throw new FenestraError('USAGE', {
    what:
      name === undefined
        ? `No command was named, only ${words.join(' ')}.`
        : `There is no command "${name}".`,
    fix:
      meant !== undefined
        ? `Here it is \`fenestra ${meant}\`.`
        : near === undefined
          ? '`fenestra --help` lists the commands.'
          : `Did you mean \`fenestra ${near}\`?`,
  });
}

async function runEntry(
  entry: TableEntry,
  command: Command<never>,
  words: readonly string[],
  runAgain: RunAgain,
  /** Told how the commands are made that are printed. */
  tell: (command: CommandLine) => void,
  take: ((document: unknown) => void) | undefined,
): Promise<number> {
  let running: Promise<number | undefined> | undefined;
  let known: readonly string[] = [];
  let parsing: object | undefined;
  const usage = (text: string): FenestraError =>
    new FenestraError('USAGE', {
      what: text,
      fix: `\`fenestra ${entry.name} --help\` lists what it takes.`,
    });
  // As the only command it is yargs' default one: for others the help text is laid out each time, in case it is needed.
  const parser = yargs([...words])
    .scriptName(`fenestra ${entry.name}`)
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
        parsing = command.options(common);
        known = listOptions(parsing);
        return parsing;
      },
      // Not awaited by yargs, which would lay out the help text beforehand in case it were needed.
      (args) => {
        needOnce(args, parsing ?? parser, words);
        const { json, progress, config, to } = args as unknown as CommonArgs & { readonly to?: string };
        const line = createCommandLine({ to, config });
        tell(line);
        const terminal = createTerminal(json, progress, line, take);
        running = command.run(args as never, terminal, runAgain).finally(() => terminal.end());
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
            command: entry.name,
            takes: command.positionals,
            options: known,
            words,
            said: message ?? error?.message ?? 'The command was not understood',
          }),
        )
      );
    })
    .parseSync();
  return (await running) ?? EXIT.done;
}

interface ParserOptions {
  readonly key: object;
  readonly array: readonly string[];
  readonly number: readonly string[];
}

const optionsOf = (parser: object): ParserOptions | undefined =>
  (parser as { getOptions?: () => ParserOptions }).getOptions?.();

/** An option that takes one value has one, and one that takes a number has a number. @throws FenestraError USAGE */
function needOnce(args: object, parser: object, words: readonly string[]): void {
  const options = optionsOf(parser);
  for (const [name, value] of Object.entries(args)) {
    if (name === '_' || name === '$0') continue;
    const dashes = name.length === 1 ? '-' : '--';
    if (Array.isArray(value) && options?.array.includes(name) !== true)
      throw new FenestraError('USAGE', {
        what: `${dashes}${name} was given ${value.length} times.`,
        fix:
          name === 'matching'
            ? "Give it once; braces name several: --matching '{posters,film}/**'."
            : 'Give it once.',
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

/** The folder that one stands in; '' where it is gone. */
function standingIn(): string {
  try {
    return process.cwd();
  } catch {
    return '';
  }
}

/** One short paragraph on stderr: what happened, where, what to do. */
export function reportFailure(error: unknown, debug: boolean, command = plainCommand, json = false): number {
  const known =
    error instanceof FenestraError
      ? error
      : (asSystemError(error) ??
        new FenestraError(
          'DEFECT',
          { reason: error instanceof Error ? error.message : String(error) },
          error,
        ));
  const here = standingIn();
  const message = nearPaths(known.message, here);
  const fix = nearPaths(
    known.fixWith((own) => completeCommands(own, command)),
    here,
  );
  // One document: where a result came before, it stands.
  if (json && !hasPrintedJson())
    printDocument({ error: { code: known.code, message, fix, exit: known.exit } });
  // What it quotes may come from a file, a store or another host.
  const width = process.stderr.columns || Infinity;
  process.stderr.write(`${wrapLines(`fenestra: ${visible(message)}\n${visible(fix)}`, width)}\n`);
  if (debug)
    process.stderr.write(
      `${known.stack ?? ''}\n${known.cause instanceof Error ? `caused by ${known.cause.stack ?? ''}\n` : ''}`,
    );
  return known.exit;
}
