/** The shape of a command. One file each under commands/; yargs reads their options. */
import type { Argv } from 'yargs';
import type { CommonArgs } from './options.js';
import type { Terminal } from './terminal.js';

export type RunAgain = (words: readonly string[], take?: (document: unknown) => void) => Promise<number>;

export interface Command<T = unknown> {
  /** Positional arguments as yargs writes them, such as `[folder]`. */
  readonly positionals?: string;
  readonly describe: string;
  readonly examples: readonly (readonly [command: string, explain: string])[];
  /** The options by what they are for, under titles, where there are many. */
  readonly groups?: Readonly<Record<string, readonly string[]>>;
  options(yargs: Argv<CommonArgs>): Argv<T & CommonArgs>;
  /**
   * @param runAgain runs another command by its words; what it would print as its document can be taken instead
   * @returns the exit code; nothing means 0
   */
  run(args: T & CommonArgs, terminal: Terminal, runAgain: RunAgain): Promise<number | undefined>;
}

export const defineCommand = <T>(command: Command<T>): Command<T> => command;
