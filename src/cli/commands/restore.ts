import { readOverForeign } from '../../jobs/project/matching.js';
import { openProject } from '../../jobs/project/open-project.js';
import { addressOf, withStoreThere } from '../../jobs/project/open-store.js';
import { changesNothing } from '../../jobs/publish/comparison.js';
import { carryOutRestore, prepareRestore } from '../../jobs/restore/restore.js';
import { publishJson } from '../../report/json/publish-json.js';
import { listWaiting } from '../../core/release/waiting.js';
import { formatWaiting } from '../../report/text/postponed-removals-text.js';
import { formatDryRun, formatReaders } from '../../report/text/publish-text.js';
import { formatRestored, formatRestoredAlready, formatRestoring } from '../../report/text/restore-text.js';
import { defineCommand } from '../command.js';
import {
  dryRunOption,
  inFullOption,
  noteOption,
  overForeignOption,
  sureOption,
  toOption,
  yesOption,
} from '../options.js';
import { readReleaseNumber } from '../../jobs/history/read-release-number.js';

interface Args {
  readonly release: string;
  readonly to: string | undefined;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly note: string;
  readonly 'dry-run': boolean;
  readonly 'over-foreign': string | undefined;
  readonly 'in-full': boolean;
}

export default defineCommand<Args>({
  positionals: '<release>',
  describe:
    'Publishes the state of an earlier release again, as a new release. It never opens a bucket or widens its policy, and asks for the name before anything private comes back as public.',
  examples: [['fenestra restore 3', 'show what would change, ask, and take release 3 back up']],
  options: (yargs) =>
    inFullOption(
      overForeignOption(
        dryRunOption(
          noteOption(
            sureOption(
              yesOption(
                toOption(
                  yargs.positional('release', {
                    type: 'string',
                    demandOption: true,
                    describe: 'the number of a release',
                  }),
                ),
                'do not ask',
              ),
            ),
          ),
        ),
      ),
    ),
  async run(args, terminal) {
    const release = readReleaseNumber(args.release);
    const project = await openProject(args);
    const { bucket } = project.destination;
    const { paint } = terminal;
    await withStoreThere(project, async (store) => {
      const address = await addressOf(project, store);
      const restoring = await prepareRestore(
        project,
        store,
        release,
        terminal.progress,
        readOverForeign(args['over-foreign']),
      );
      const { comparison } = restoring;
      const report = (made: number | null): object =>
        publishJson(
          comparison,
          {
            store: store.name,
            requests: store.requests,
            bucket,
            address,
            release: made,
            restores: release,
            findings: [],
            dryRun: args['dry-run'],
          },
          Date.now(),
        );
      const head = comparison.bucket?.release ?? 0;
      if (changesNothing(comparison)) {
        terminal.print(formatRestoredAlready(bucket, release));
        terminal.printJson(report(head));
        return;
      }
      const show = (inFull: boolean): string =>
        [
          formatRestoring(bucket, { from: head, to: release }, comparison, paint, inFull),
          formatReaders(comparison.readers, paint, inFull),
          formatWaiting(listWaiting(comparison), inFull, paint),
        ]
          .filter((part) => part !== '')
          .join('\n\n');
      terminal.print(show(args['in-full']));
      if (args['dry-run']) {
        terminal.print(`\n${formatDryRun(undefined, undefined, paint)}`);
        terminal.printJson(report(null));
        return;
      }
      const made = await carryOutRestore(
        project,
        store,
        restoring,
        { release, note: args.note, yes: args.yes },
        terminal.progress,
        terminal.questions(args.sure, () => terminal.print(`\n${show(true)}\n`)),
      );
      terminal.print(`\n${formatRestored(made.release, release, comparison.totals, address, paint)}`);
      terminal.printJson(report(made.release));
    });
    return undefined;
  },
});
