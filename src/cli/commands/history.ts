import { readHistory, readReleaseChanges } from '../../jobs/history/read-history.js';
import { listHeld } from '../../jobs/history/list-held.js';
import { openProject } from '../../jobs/project/open-project.js';
import { addressOf, withStoreThere } from '../../jobs/project/open-store.js';
import { historyJson, releaseChangesJson } from '../../report/json/history-json.js';
import { formatHeld, formatHistory, formatRelease } from '../../report/text/history-text.js';
import { formatWaiting } from '../../report/text/waiting-text.js';
import { defineCommand } from '../command.js';
import { inFullOption, toOption } from '../options.js';
import { readReleaseNumber } from '../read-release-number.js';

interface Args {
  readonly release: string | undefined;
  readonly to: string | undefined;
  readonly 'in-full': boolean;
}

export default defineCommand<Args>({
  positionals: '[release]',
  describe: 'The releases of a bucket, or the changes that one of them made.',
  examples: [
    ['fenestra history', 'who published what, and when'],
    ['fenestra history 3', 'what release 3 changed'],
  ],
  options: (yargs) =>
    inFullOption(
      toOption(yargs.positional('release', { type: 'string', describe: 'the number of a release' })),
    ),
  async run(args, terminal) {
    const wanted = args.release === undefined ? undefined : readReleaseNumber(args.release);
    const project = await openProject(args);
    const { bucket } = project.destination;
    await withStoreThere(project, async (store) => {
      if (wanted === undefined) {
        const history = await readHistory(store, bucket);
        const address = await addressOf(project, store);
        terminal.print(
          formatHistory(
            bucket,
            history.release,
            history.releases,
            history.kept,
            terminal.paint,
            `in ${store.name}, at ${address}`,
          ),
        );
        const waits = formatWaiting(history.waiting, args['in-full'], terminal.paint);
        if (waits !== '') terminal.print(`\n${waits}`);
        terminal.printJson({ store: store.name, address, ...historyJson(history) });
        return;
      }
      const changes = await readReleaseChanges(store, bucket, wanted);
      const held = await listHeld(store, bucket, wanted, Date.now());
      terminal.print(formatRelease(bucket, changes, args['in-full'], terminal.paint));
      if (held.length > 0) terminal.print(`\n${formatHeld(held, args['in-full'], terminal.paint)}`);
      terminal.printJson(releaseChangesJson(bucket, changes, held));
    });
    return undefined;
  },
});
