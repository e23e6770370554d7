import {
  glanceAtHistory,
  readHistory,
  readReleaseChanges,
  type History,
} from '../../jobs/history/read-history.js';
import { listHeld } from '../../jobs/history/list-held.js';
import { openProject, type Project } from '../../jobs/project/open-project.js';
import { addressOf, withStoreThere } from '../../jobs/project/open-store.js';
import { historyJson, releaseChangesJson } from '../../report/json/history-json.js';
import { formatHeld, formatHistory, formatRelease } from '../../report/text/history-text.js';
import { formatWaiting } from '../../report/text/postponed-removals-text.js';
import type { Store } from '../../stores/port.js';
import type { Terminal } from '../terminal.js';
import { defineCommand } from '../command.js';
import { inFullOption, toOption } from '../options.js';
import { readReleaseNumber } from '../../jobs/history/read-release-number.js';

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
    const known = wanted === undefined ? glanceAtHistory(project) : undefined;
    if (known) tell(known, project, await addressOf(project, undefined), args, terminal);
    else
      await withStoreThere(project, async (store) => {
        const { bucket } = project.destination;
        if (wanted === undefined)
          tell(await readHistory(store, bucket), project, await addressOf(project, store), args, terminal);
        else await tellRelease(store, bucket, wanted, args, terminal);
      });
    return undefined;
  },
});

function tell(
  history: History,
  { destination }: Project,
  address: string,
  args: Args,
  terminal: Terminal,
): void {
  const { release, releases, kept } = history;
  const where = `in ${destination.store}, at ${address}`;
  terminal.print(formatHistory(history.bucket, release, releases, kept, terminal.paint, where));
  const waits = formatWaiting(history.waiting, args['in-full'], terminal.paint);
  if (waits !== '') terminal.print(`\n${waits}`);
  terminal.printJson({ store: destination.store, address, ...historyJson(history) });
}

async function tellRelease(
  store: Store,
  bucket: string,
  release: number,
  args: Args,
  terminal: Terminal,
): Promise<void> {
  const changes = await readReleaseChanges(store, bucket, release);
  const held = await listHeld(store, bucket, release, Date.now());
  terminal.print(formatRelease(bucket, changes, args['in-full'], terminal.paint));
  if (held.length > 0) terminal.print(`\n${formatHeld(held, args['in-full'], terminal.paint)}`);
  terminal.printJson(releaseChangesJson(bucket, changes, held));
}
