/** Options that several commands take, each read and described in one place. */
import type { Argv } from 'yargs';
import { PROGRESS_KINDS, type ProgressKind } from './terminal.js';

/** Options that every command takes. */
export interface CommonArgs {
  /** A file, or the folder that it stands in; undefined for the nearest one upwards. */
  readonly config: string | undefined;
  readonly json: boolean;
  readonly progress: ProgressKind;
  readonly debug: boolean;
}

export const COMMON = [
  'config',
  'json',
  'progress',
  'debug',
] as const satisfies readonly (keyof CommonArgs)[];

export const commonOptions = (yargs: Argv): Argv<CommonArgs> =>
  yargs
    .option('config', {
      type: 'string',
      describe: 'the config, or its folder; without it, the nearest fenestra.yaml at or above this folder',
      requiresArg: true,
    })
    .option('json', {
      type: 'boolean',
      default: false,
      describe: 'one JSON document on stdout and nothing else',
    })
    .option('progress', {
      choices: PROGRESS_KINDS,
      default: 'line' as const,
      describe: 'on stderr: a line on a terminal, a line of JSON for each step, or none',
    })
    .option('debug', {
      type: 'boolean',
      default: false,
      describe: 'show where an unexpected failure came from',
    });

export const toOption = <T>(yargs: Argv<T>, describe = 'the destination, when it is not the first') =>
  yargs.option('to', { type: 'string', describe, requiresArg: true });

export const matchingOption = <T>(yargs: Argv<T>, describe: string) =>
  yargs.option('matching', { type: 'string', describe, requiresArg: true });

export const sureOption = <T>(yargs: Argv<T>, describe = "the bucket's name, where a change asks for it") =>
  yargs.option('sure', { type: 'string', describe, requiresArg: true });

export const yesOption = <T>(yargs: Argv<T>, describe: string) =>
  yargs.option('yes', { type: 'boolean', default: false, describe, alias: 'y' });

export const noteOption = <T>(yargs: Argv<T>) =>
  yargs.option('note', {
    type: 'string',
    default: '',
    describe: 'a message to keep with the release',
    requiresArg: true,
  });

export const overForeignOption = <T>(yargs: Argv<T>) =>
  yargs.option('over-foreign', {
    type: 'string',
    describe: 'overwrite what others have changed of the site; with a pattern: just that, additions too',
  });

export const dryRunOption = <T>(yargs: Argv<T>) =>
  yargs.option('dry-run', {
    type: 'boolean',
    default: false,
    describe: 'show the changes and stop',
    alias: 'n',
  });

export const inFullOption = <T>(yargs: Argv<T>, describe = 'every change with every property') =>
  yargs.option('in-full', { type: 'boolean', default: false, describe });

export const failOnOption = <T>(yargs: Argv<T>, describe: string) =>
  yargs.option('fail-on', {
    choices: ['error', 'warning', 'note'] as const,
    default: 'error' as const,
    describe,
  });
