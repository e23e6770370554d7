/**
 * The words of a command line without a single option, which most are: what is left is every option's default. A test
 * holds that yargs reads the same; whatever is not plain is for it to read, or to refuse.
 */
import type { Argv, Options, PositionalOptions } from 'yargs';
import type { Command } from './command.js';
import { commonOptions, type CommonArgs } from './options.js';

export type ReadArgs = CommonArgs & { readonly to?: string };

/** Takes the place of yargs where a command says what it takes, and keeps the defaults. */
class Defaults {
  readonly args: Record<string, unknown> = {};
  readonly positionals = new Map<string, PositionalOptions>();

  option(name: string, { default: value, alias = [] }: Options): this {
    if (value !== undefined) for (const each of [name, alias].flat()) this.args[each] = value as unknown;
    return this;
  }

  positional(name: string, options: PositionalOptions): this {
    this.positionals.set(name, options);
    return this;
  }
}

/** @returns undefined where the words are not plain */
export function readPlainWords(command: Command<never>, words: readonly string[]): ReadArgs | undefined {
  if (!words.every(isPlain)) return undefined;
  const defaults = new Defaults();
  command.options(commonOptions(defaults as unknown as Argv) as Argv<CommonArgs>);
  const { args, positionals } = defaults;
  const places = [...(command.positionals ?? '').matchAll(/([<[])([\w-]+)(\.\.)?/g)];
  // Any number of words is for yargs to gather.
  if (words.length > 0 && places.some(([, , , any]) => any !== undefined)) return undefined;
  if (words.length > places.length) return undefined;
  for (const [at, [, bracket, name = '']] of places.entries()) {
    const word = words[at];
    const { choices, default: value } = positionals.get(name) ?? {};
    if (word === undefined ? bracket === '<' : choices && !choices.includes(word)) return undefined;
    if (word !== undefined) args[name] = word;
    else if (value !== undefined) args[name] = value as unknown;
  }
  return args as unknown as ReadArgs;
}

const isPlain = (word: string): boolean => word !== '' && !word.startsWith('-') && !/^h(?:elp)?$/.test(word);
