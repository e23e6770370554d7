import type { Command } from './command.js';
import * as commands from './commands/index.js';
import { expect, test } from 'vitest';
import { FenestraError } from '../core/errors/catalogue.js';
import { COMMANDS } from './command-table.js';
import { readPlainWords } from './read-plain-words.js';
import { readWords } from './read-words.js';

const WORDS = [
  'show',
  'list',
  'empty',
  'open',
  'check',
  '3',
  '03',
  '1e3',
  'true',
  '/visit/',
  'a=b',
  '__proto__',
];
const LINES = [[], ...WORDS.map((word) => [word]), ...WORDS.map((word) => [word, 'mill-7']), ['a', 'b', 'c']];

const plainly = (args: object | undefined): object | undefined =>
  args && Object.fromEntries(Object.entries(args).filter(([name]) => name !== '_' && name !== '$0'));

test('words without options are read as yargs reads them, or left to it', async () => {
  let read = 0;
  for (const entry of COMMANDS) {
    const command = commands[entry.name] as Command<never>;
    for (const words of LINES) {
      const args = readPlainWords(command, words);
      const refused = (): object | undefined => {
        try {
          return readWords(entry.name, command, words);
        } catch (error) {
          if (error instanceof FenestraError) return undefined;
          throw error;
        }
      };
      if (args) read++;
      const line = `${entry.name} ${words.join(' ')}`;
      expect(plainly(args), line).toEqual(args ? plainly(refused()) : undefined);
      // What yargs refuses it refuses in its own words; any number of words is for it to gather.
      if (!args && !command.positionals?.includes('..')) expect(refused(), line).toBeUndefined();
    }
    for (const words of [['--json'], ['-n'], ['help'], ['show', '--to', 'live'], [''], ['--']])
      expect(readPlainWords(command, words), words.join(' ')).toBeUndefined();
  }
  expect(read).toBeGreaterThan(40);
});
