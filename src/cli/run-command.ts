/** Runs one command: from its words to its exit code, failures to one short paragraph. */
import { EXIT, FenestraError } from '../core/errors/catalogue.js';
import { asOwnError } from '../core/errors/own-error.js';
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
import * as COMMANDS from './commands/index.js';
import { COMMANDS_ELSEWHERE } from './words-elsewhere.js';
import { readPlainWords } from './read-plain-words.js';
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
      COMMANDS[entry.name] as Command<never>,
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
  const args =
    readPlainWords(command, words) ?? (await import('./read-words.js')).readWords(entry.name, command, words);
  // The help was asked for, and stands there.
  if (!args) return EXIT.done;
  const { json, progress, config, to } = args;
  const line = createCommandLine({ to, config });
  tell(line);
  const terminal = createTerminal(json, progress, line, take);
  const running = command.run(args as never, terminal, runAgain).finally(() => terminal.end());
  return (await running) ?? EXIT.done;
}

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
  const known = asOwnError(error);
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
