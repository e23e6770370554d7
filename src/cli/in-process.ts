/** The program without a process of its own, for tests that start it some hundred times. */
import { COMMANDS } from './command-table.js';
import { runCommand } from './run-command.js';
import { beginDocument } from './terminal.js';

/** @param words a command and what follows it; help and version are the entry's @returns the exit code */
export function runInProcess(words: readonly string[]): Promise<number> {
  beginDocument();
  return runCommand(words, COMMANDS);
}
