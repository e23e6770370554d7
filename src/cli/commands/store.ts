import { EXIT } from '../../core/errors/catalogue.js';
import { openNamedStore } from '../../jobs/project/open-store.js';
import { openProject } from '../../jobs/project/open-project.js';
import { readUrl } from '../../jobs/trace/read-request.js';
import { formatTried } from '../../report/text/tried-text.js';
import { defineCommand } from '../command.js';

interface Args {
  readonly action: 'check';
  readonly name: string | undefined;
  readonly address: string | undefined;
}

export default defineCommand<Args>({
  positionals: '<action> [name]',
  describe:
    'What a store of the config can do, tried in a bucket of its own that is removed again: a table with what each means for publishing, and as which quirks it answers.',
  examples: [
    ['fenestra store check cloud', 'before anything is published to it'],
    [
      'fenestra store check cloud --address https://BUCKET.store.example/',
      'where the store does not say itself where its buckets are read',
    ],
  ],
  options: (yargs) =>
    yargs
      .positional('action', { choices: ['check'] as const, demandOption: true, describe: 'what to do' })
      .positional('name', {
        type: 'string',
        describe: 'the store, as the config calls it; without it that of the first destination',
      })
      .option('address', {
        type: 'string',
        describe: 'where the public reads a bucket, with BUCKET for its name',
        requiresArg: true,
      }),
  async run(args, terminal) {
    // An address that is none is said before anything is made.
    if (args.address !== undefined) readUrl(args.address.replaceAll('BUCKET', 'bucket'));
    const project = await openProject({ config: (args as { config?: string }).config });
    const name = args.name ?? project.destination.store;
    const store = await openNamedStore(project, name);
    try {
      store.tellWaiting?.((text) => terminal.progress.remark(text));
      // What the contract is written with is loaded by this alone.
      const { tryStore } = await import('../../jobs/store/try-store.js');
      const tried = await tryStore(store, args.address, terminal.progress);
      terminal.print(formatTried(name, tried, terminal.paint));
      terminal.printJson({ store: name, ...tried, address: tried.address ?? null });
    } finally {
      await store.close();
    }
    return EXIT.done;
  },
});
