import { compareObjects, compareSettings, countChanges } from '../../core/release/change-list.js';
import { countOf } from '../../core/words/counts.js';
import { formatChanges, formatTotals } from '../../report/text/changes-text.js';
import { defineCommand } from '../command.js';
import { agreeToChanges } from '../work/agree.js';
import { needBucket, openProject, withStore } from '../work/project.js';
import { readReleaseNumber } from '../work/read-release-number.js';
import { changesNothing, publishChanges, type Changes } from '../work/publish-work.js';

interface Args {
  readonly release: string;
  readonly to: string | undefined;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly note: string;
  readonly 'dry-run': boolean;
}

export default defineCommand<Args>({
  positionals: '<release>',
  describe:
    'Publishes the state of an earlier release again, as a new release. It never opens a bucket or widens its policy.',
  examples: [['fenestra restore 3', 'show what would change, ask, and take release 3 back up']],
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', demandOption: true, describe: 'the number of a release' })
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('yes', { type: 'boolean', default: false, describe: 'do not ask' })
      .option('sure', {
        type: 'string',
        describe: "the bucket's name, where a change asks for it",
        requiresArg: true,
      })
      .option('note', {
        type: 'string',
        default: '',
        describe: 'a message to keep with the release',
        requiresArg: true,
      })
      .option('dry-run', { type: 'boolean', default: false, describe: 'show the changes and stop' }),
  async run(args, terminal) {
    const wanted = readReleaseNumber(args.release);
    const project = await openProject(args);
    const { bucket: name } = project.destination;
    await withStore(project, async (store) => {
      const bucket = await needBucket(store, name);
      const record = store.readRelease(name, wanted);
      const objects = await store.listObjectsAt(name, wanted);
      const all = compareObjects(objects, store.listObjects(name));
      // Who may read what is decided today, never by going back.
      const becomes = { ...record.settings, readable: bucket.settings.readable };
      const changes: Changes = {
        bucket,
        changes: all.filter(({ change }) => change !== 'keep'),
        settings: compareSettings(bucket.settings, becomes),
        becomes,
        totals: countChanges(all),
        // The bodies of every kept release are in the store.
        toSend: 0,
        identity: record.identity,
      };
      const report = (release: number | null): object => ({
        bucket: name,
        address: project.address,
        release,
        restores: wanted,
        changes: changes.changes,
        settings: changes.settings,
        totals: { ...changes.totals, toSend: changes.toSend },
        findings: [],
        stale: [],
      });
      if (changesNothing(changes)) {
        terminal.print(`Nothing would change: ${name} holds the state of release ${wanted} already.`);
        terminal.printJson(report(bucket.release));
        return;
      }
      const { paint } = terminal;
      terminal.print(
        `${paint.strong(name)}: back to the state of release ${wanted}, from release ${bucket.release}\n`,
      );
      terminal.print(
        `${formatChanges(changes.changes, changes.settings, paint)}\n\n${formatTotals(changes.totals, changes.toSend)}`,
      );
      if (args['dry-run']) {
        terminal.print(`\n${paint.soft('Nothing was published: this was a dry run.')}`);
        terminal.printJson(report(null));
        return;
      }
      await agreeToChanges(changes, { objects }, project, args, terminal);
      const made = await publishChanges(
        changes,
        [],
        store,
        name,
        { note: args.note, keep: project.config.historyDepth, restores: wanted },
        terminal,
      );
      terminal.print(
        `\n${paint.good('Published')} release ${made.release}: the state of release ${wanted}, ${countOf(objects.length, 'object')}, at ${project.address}`,
      );
      terminal.printJson(report(made.release));
    });
    return undefined;
  },
});
