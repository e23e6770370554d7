/**
 * Commands as they are printed for people to type: each carries the options without which it would be about another
 * destination or another config.
 */

export interface CommandContext {
  /** The destination, where it is not the one that is meant without `--to`. */
  readonly to?: string | undefined;
  /** The config, where it is not the one that is found without `--config`. */
  readonly config?: string | undefined;
}

/** Makes a command of its words, such as `access open --sure mill`. */
export type CommandLine = (words: string) => string;

/** Commands that are about no destination, and about no config. */
const WITHOUT_TO = /^(?:init|demo|config)\b/;
const WITHOUT_CONFIG = /^(?:demo)\b/;

export const createCommandLine =
  ({ to, config }: CommandContext): CommandLine =>
  (words) => {
    const options = [
      to === undefined || WITHOUT_TO.test(words) || / --to /.test(words) ? '' : ` --to ${quoteWord(to)}`,
      config === undefined || WITHOUT_CONFIG.test(words) ? '' : ` --config ${quoteWord(config)}`,
    ];
    return `fenestra ${words}${options.join('')}`;
  };

export const plainCommand: CommandLine = createCommandLine({});

/** A word as a shell takes it. */
export const quoteWord = (word: string): string =>
  /^[\w@%+=:,./-]+$/.test(word) ? word : `'${word.replace(/'/g, `'\\''`)}'`;

/** Completes the commands that stand in backquotes in a text of our own. */
export const completeCommands = (text: string, command: CommandLine): string =>
  text.replace(/`fenestra ([a-z][^`]*)`/g, (whole, words: string) =>
    words.endsWith('--help') ? whole : `\`${command(words)}\``,
  );
