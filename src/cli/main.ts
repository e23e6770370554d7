#!/usr/bin/env node
/** Wiring only: the command to its options to its exit code. */
import { COMMANDS, formatHelp, HELP_WIDTH } from './command-table.js';
import { enableCompileCache } from './compile-cache.js';
import { VERSION } from './version.js';

const words = process.argv.slice(2);
const first = words[0];

if (
  first === undefined ||
  ((first === '--help' || first === '-h' || first === 'help') && words.length === 1)
) {
  const width = process.stdout.columns || HELP_WIDTH;
  const { wrapWords } =
    width < HELP_WIDTH ? await import('../report/text/wrap.js') : { wrapWords: undefined };
  process.stdout.write(
    `${formatHelp(
      wrapWords &&
        ((text, column) => wrapWords(text, Math.max(20, width - column)).join(`\n${' '.repeat(column)}`)),
    )}\n`,
  );
} else if (first === '--version' || first === '-v') {
  process.stdout.write(`${VERSION}\n`);
} else {
  // A reader that goes away, such as `head`, has not had everything, and whoever asks for the exit code is told so.
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    // A terminal that has gone away is no reason to leave things lying about: only the words are lost.
    if (error.code === 'EIO') return;
    const why =
      error.code === 'ENOSPC'
        ? 'the disk is full'
        : error.code === 'EPIPE'
          ? 'nobody reads it any more'
          : error.message;
    process.stderr.write(
      `fenestra: The output cannot be written: ${why}.\nWhat the command did beside printing stands.\n`,
    );
    process.exit(3);
  });
  enableCompileCache();
  const { runCommand } = await import('./run-command.js');
  process.exitCode = await runCommand(words, COMMANDS);
  // What could not be written is known a turn later.
  await new Promise(setImmediate);
  // Nothing is left to do: a large heap need not be taken apart piece by piece.
  if (process.stdout.writableLength === 0 && process.stderr.writableLength === 0) process.exit();
}
