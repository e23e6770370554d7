import { readFileSync } from 'node:fs';
import { columns, shorten, visible } from '../../report/text/paint.js';
import { defineCommand } from '../command.js';

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
      const { createJsonSchema } = await import('../../config/json-schema.js');
      process.stdout.write(`${JSON.stringify(createJsonSchema(), null, 2)}\n`);
      return undefined;
    }
    const { loadConfig } = await import('../../config/load.js');
    const config = await loadConfig(args.config);
    const { paint } = terminal;
    if (args.action === 'check') {
      const rules = config.assignments.rules.length;
      terminal.print(
        `${paint.good('No fault')} in ${args.config}: ${config.destinations.length} destination${config.destinations.length === 1 ? '' : 's'}, ${rules} rule${rules === 1 ? '' : 's'}.`,
      );
      terminal.printJson({
        file: config.file,
        faults: [],
        lines: readFileSync(config.file, 'utf8').split('\n').length,
      });
      return undefined;
    }
    const room = Math.max(20, paint.width - 96);
    const rows = config.inForce.map(({ name, value, from, explain }) => [
      paint.place(visible(name)),
      visible(shorten(formatValue(value), Math.max(26, Math.min(40, room)))),
      from === 'default' ? paint.soft(from) : from,
      paint.soft(shorten(explain, Math.max(40, paint.width - 78))),
    ]);
    terminal.print(
      `${paint.strong(config.file)}\n\n${columns([['setting', 'in force', 'from', 'meaning'].map(paint.soft), ...rows])}`,
    );
    terminal.printJson({ file: config.file, settings: config.inForce });
    return undefined;
  },
});

const formatValue = (value: unknown): string =>
  typeof value === 'string'
    ? value
    : typeof value === 'number' || typeof value === 'boolean'
      ? String(value)
      : JSON.stringify(value);
