import { compareObjects, compareSettings, countChanges } from '../../core/release/change-list.js';
import { formatChanges } from '../../report/text/changes-text.js';
import { formatCounts, formatHistory, formatWhen } from '../../report/text/history-text.js';
import { visible } from '../../report/text/paint.js';
import { defineCommand } from '../command.js';
import { needBucket, openProject, withStore } from '../work/project.js';
import { readReleaseNumber } from '../work/read-release-number.js';

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
    yargs
      .positional('release', { type: 'string', describe: 'the number of a release' })
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('in-full', { type: 'boolean', default: false, describe: 'every change with every property' }),
  async run(args, terminal) {
    const wanted = args.release === undefined ? undefined : readReleaseNumber(args.release);
    const project = await openProject(args);
    const { bucket } = project.destination;
    await withStore(project, async (store) => {
      const state = await needBucket(store, bucket);
      const releases = await store.listReleases(bucket);
      if (wanted === undefined) {
        terminal.print(formatHistory(bucket, state.release, releases, terminal.paint));
        terminal.printJson({
          bucket,
          release: state.release,
          releases: releases.map((record) => ({ ...record, at: new Date(record.at).toISOString() })),
        });
        return;
      }
      const record = store.readRelease(bucket, wanted);
      const earlier = releases.find(({ release }) => release === record.release - 1);
      const before =
        earlier || record.release === 1 ? await store.listObjectsAt(bucket, record.release - 1) : undefined;
      const all = before ? compareObjects(await store.listObjectsAt(bucket, record.release), before) : [];
      const changes = all.filter(({ change }) => change !== 'keep');
      const settings = before ? compareSettings(earlier?.settings, record.settings) : [];
      const lost = before
        ? ''
        : '\nThe release before it is no longer kept, so its changes are known by their counts alone.';
      terminal.print(
        `${terminal.paint.strong(`${bucket}, release ${record.release}`)}, ${formatWhen(record.at)}, by ${visible(record.by)}${record.note === '' ? '' : `: ${visible(record.note)}`}${lost}\n`,
      );
      terminal.print(
        `${before ? `${formatChanges(changes, settings, terminal.paint, args['in-full'], true)}\n\n` : ''}${formatCounts(before ? countChanges(all) : record.totals)}`,
      );
      terminal.printJson({ bucket, ...record, at: new Date(record.at).toISOString(), changes, settings });
    });
    return undefined;
  },
});
