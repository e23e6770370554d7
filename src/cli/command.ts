/** The shape of a command. One file each under commands/; yargs reads their options. */
import type { Argv } from 'yargs';
import type { Terminal } from './terminal.js';

/** Options that every command takes. */
export interface CommonArgs {
  readonly config: string;
  readonly json: boolean;
  readonly debug: boolean;
}

export interface Command<T = unknown> {
  /** Positional arguments as yargs writes them, such as `[folder]`. */
  readonly positionals?: string;
  readonly describe: string;
  readonly examples: readonly (readonly [command: string, explain: string])[];
  options(yargs: Argv<CommonArgs>): Argv<T & CommonArgs>;
  /** @returns the exit code; nothing means 0 */
  run(args: T & CommonArgs, terminal: Terminal): Promise<number | undefined>;
}

export const defineCommand = <T>(command: Command<T>): Command<T> => command;
