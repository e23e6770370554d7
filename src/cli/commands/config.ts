import { STORE_KINDS } from '../../stores/kinds.js';
import { readFileSync } from 'node:fs';
import { formatConfigGood, formatInForce } from '../../report/text/config-text.js';
import { findConfig } from '../../config/find-config.js';
import { defineCommand } from '../command.js';
import { assertKnownKinds } from '../../jobs/project/open-store.js';

interface Args {
  readonly action: 'show' | 'check' | 'schema';
}

export default defineCommand<Args>({
  positionals: '<action>',
  describe: 'The config: the settings in force, a test of the file alone, or its JSON Schema.',
  examples: [
    ['fenestra config show', 'every setting, where it comes from and what it means'],
    ['fenestra config check', 'for a pre-commit hook: touches nothing but the config'],
    ['fenestra config schema', 'the JSON Schema, for editors'],
  ],
  options: (yargs) =>
    yargs.positional('action', {
      choices: ['show', 'check', 'schema'] as const,
      demandOption: true,
      describe: 'what to do',
    }),
  async run(args, terminal) {
    if (args.action === 'schema') {
      const { createJsonSchema } = await import('../../config/index.js');
      process.stdout.write(`${JSON.stringify(createJsonSchema(STORE_KINDS.keys()), null, 2)}\n`);
      return undefined;
    }
    const { loadConfig } = await import('../../config/index.js');
    const file = findConfig(args.config);
    const config = await loadConfig(file, args.action === 'check');
    const { paint } = terminal;
    if (args.action === 'check') {
      assertKnownKinds(config);
      const counts = { destinations: config.destinations.length, rules: config.assignments.rules.length };
      terminal.print(formatConfigGood(file, counts, paint));
      const lines = readFileSync(config.file, 'utf8').split('\n').length;
      terminal.printJson({ file: config.file, faults: [], lines });
      return undefined;
    }
    terminal.print(formatInForce(config.file, config.inForce, paint));
    terminal.printJson({ file: config.file, settings: config.inForce });
    return undefined;
  },
});
