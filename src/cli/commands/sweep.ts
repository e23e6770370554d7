import { openProject } from '../../jobs/project/open-project.js';
import { withStoreThere } from '../../jobs/project/open-store.js';
import { sweepJson } from '../../report/json/sweep-json.js';
import { formatDue, formatSwept } from '../../report/text/sweep-text.js';
import { formatWaiting } from '../../report/text/postponed-removals-text.js';
import { defineCommand } from '../command.js';
import { dryRunOption, inFullOption, toOption } from '../options.js';
import { prepareSweep, sweepBucket } from '../../jobs/sweep/sweep-bucket.js';

interface Args {
  readonly to: string | undefined;
  readonly 'dry-run': boolean;
  readonly 'in-full': boolean;
}

export default defineCommand<Args>({
  describe:
    'Removes what is due: objects whose removal was postponed until no page in a browser can ask for them, and stored bytes that no release needs. Made for a scheduler: it asks nothing.',
  examples: [
    ['fenestra sweep --dry-run', 'what is due, and what waits until when'],
    ['fenestra sweep --to live', 'remove what is due there'],
  ],
  options: (yargs) => inFullOption(dryRunOption(toOption(yargs)), 'everything that waits'),
  async run(args, terminal) {
    const project = await openProject(args);
    const { bucket } = project.destination;
    await withStoreThere(project, async (store) => {
      const sweeping = await prepareSweep(store, bucket, Date.now());
      terminal.print(formatDue(bucket, sweeping.due, terminal.paint));
      const swept = args['dry-run']
        ? undefined
        : await sweepBucket(project, store, sweeping, terminal.progress);
      if (swept) terminal.print(`\n${formatSwept(swept.record?.release, swept.removed, terminal.paint)}`);
      const waits = formatWaiting(sweeping.waiting, args['in-full'], terminal.paint);
      if (waits !== '') terminal.print(`\n${waits}`);
      terminal.printJson(sweepJson(bucket, sweeping, swept));
    });
    return undefined;
  },
});
