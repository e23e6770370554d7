import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import type { Level } from '../../core/findings/finding.js';
import { readBaseline } from '../../jobs/check/baseline-file.js';
import { readMatching, readOverForeign } from '../../jobs/project/matching.js';
import { openProject } from '../../jobs/project/open-project.js';
import { placeOf } from '../../jobs/project/place-of.js';
import { findKind } from '../../stores/kinds.js';
import { defineCommand } from '../command.js';
import {
  dryRunOption,
  failOnOption,
  inFullOption,
  matchingOption,
  noteOption,
  overForeignOption,
  sureOption,
  toOption,
  yesOption,
} from '../options.js';
import { publishOnce, type PublishOptions } from '../publish-once.js';
import type { Terminal } from '../terminal.js';
import { untilStopped } from '../until-stopped.js';
import { watchAndPublish } from '../../jobs/publish/watch.js';

interface Args {
  readonly config: string | undefined;
  readonly to: string | undefined;
  readonly 'dry-run': boolean;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly 'in-full': boolean;
  readonly diff: string | undefined;
  readonly from: string | undefined;
  readonly matching: string | undefined;
  readonly note: string;
  readonly save: string | undefined;
  readonly 'front-list': string | undefined;
  readonly agreed: string | undefined;
  readonly watch: boolean;
  readonly 'exit-code': boolean;
  readonly prove: boolean;
  readonly like: string | undefined;
  readonly 'over-foreign': string | undefined;
  readonly 'fail-on': Level;
  readonly baseline: string | undefined;
}

export default defineCommand<Args>({
  describe: 'Shows what would change in the bucket, asks, and publishes it at one instant.',
  examples: [
    ['fenestra publish --dry-run', 'only show the changes'],
    ['fenestra publish --to live --yes', 'publish to another destination without being asked'],
    ['fenestra publish --agreed mill-7f3k-2q9d', 'exactly what a dry run ended with, or refuse'],
    ['fenestra publish --dry-run --save changes.html', 'keep the change list, to be agreed on'],
    ['fenestra publish --prove --yes', 'publish only what passes the check'],
    ['fenestra publish --from live --to other', 'what one store holds, into another'],
    ['fenestra publish --to live --like rehearsal', 'exactly what was rehearsed, or refuse'],
  ],
  groups: {
    'What is published': ['to', 'from', 'matching', 'like', 'over-foreign', 'note', 'watch'],
    'How it is agreed': ['yes', 'sure', 'agreed', 'prove', 'fail-on', 'baseline'],
    'What it shows first': ['dry-run', 'in-full', 'diff', 'save', 'exit-code', 'front-list'],
  },
  options: (yargs) => {
    const withChanges = inFullOption(
      overForeignOption(sureOption(yesOption(dryRunOption(toOption(yargs)), 'publish without being asked'))),
    ).option('diff', {
      type: 'string',
      describe: 'show how the text of one key would change, and stop',
      requiresArg: true,
    });
    const withNote = noteOption(matchingOption(withChanges, 'only keys that match a pattern; settings stay'))
      .option('save', {
        type: 'string',
        describe: 'with --dry-run: keep the change list, as .html or .json',
        requiresArg: true,
      })
      .option('front-list', {
        type: 'string',
        describe: 'write what the front has to forget, one address a line',
        requiresArg: true,
      })
      .option('agreed', {
        type: 'string',
        describe: 'exactly the change list of this code or file, or refuse',
        requiresArg: true,
      })
      .option('from', {
        type: 'string',
        describe: 'what another destination holds, in place of the site folder',
        requiresArg: true,
      })
      .option('like', {
        type: 'string',
        describe: 'exactly what another destination holds, or refuse',
        requiresArg: true,
      })
      .option('watch', {
        type: 'boolean',
        default: false,
        describe: 'go on publishing whenever files change',
      })
      .option('exit-code', {
        type: 'boolean',
        default: false,
        describe: 'with --dry-run: end with 1 where something changes',
      })
      .option('prove', {
        type: 'boolean',
        default: false,
        describe: 'check it where no visitor sees it; publish what passes',
      });
    return failOnOption(withNote, 'with --prove: the lowest level that stops it').option('baseline', {
      type: 'string',
      describe: 'with --prove: a file of what is known already',
      requiresArg: true,
    });
  },
  async run(args, terminal) {
    assertSense(args, terminal);
    const options: PublishOptions = {
      dryRun: args['dry-run'],
      yes: args.yes,
      sure: args.sure,
      inFull: args['in-full'],
      diff: args.diff,
      matching: readMatching(args.matching),
      note: args.note,
      save: args.save,
      frontList: args['front-list'],
      agreed: args.agreed,
      like: args.like,
      overForeign: readOverForeign(args['over-foreign']),
      prove: args.prove
        ? {
            failOn: args['fail-on'],
            baseline: args.baseline === undefined ? undefined : readBaseline(args.baseline),
          }
        : undefined,
    };
    const project = await openProject(args);
    if (findKind(placeOf(project.config, project.destination.store)).isElsewhere)
      (await import('../lean-heap.js')).keepHeapLean();
    if (args.from !== undefined) {
      const { withDestination } = await import('../../jobs/bucket/with-copy.js');
      const source = await openProject({ ...args, to: args.from });
      const note = args.note === '' ? `From ${args.from}` : args.note;
      const wouldChange = await withDestination(project, source, terminal.progress, (own, site) =>
        publishOnce(own, { ...options, site, note, thorough: true }, terminal),
      );
      return args['exit-code'] && wouldChange ? EXIT.found : EXIT.done;
    }
    if (!args.watch) {
      const wouldChange = await publishOnce(project, options, terminal);
      return args['exit-code'] && wouldChange ? EXIT.found : EXIT.done;
    } else {
      // Whoever named the bucket meant the first publish, not whatever comes after it.
      await watchAndPublish(project, terminal.progress, untilStopped, async (now, first) => {
        await publishOnce(
          now,
          first ? options : { ...options, yes: true, sure: undefined, bucketIsThere: true },
          terminal,
        );
      });
    }
    return undefined;
  },
});

/** Options that make no sense together. @throws FenestraError USAGE */
function assertSense(args: Args, terminal: Terminal): void {
  const refuse = (what: string, fix: string): never => {
    throw new FenestraError('USAGE', { what, fix });
  };
  if (args['front-list'] !== undefined && args['dry-run'])
    refuse(
      '--front-list is written once something is published.',
      'Leave --dry-run out; it shows what the front holds.',
    );
  if (args.save !== undefined && !args['dry-run'])
    refuse('--save keeps what a dry run shows.', 'Add --dry-run.');
  if (args['exit-code'] && !args['dry-run'])
    refuse('--exit-code tells what a dry run has found.', 'Add --dry-run.');
  if (args.baseline !== undefined && !args.prove)
    refuse(
      '--baseline says what is known to the check of --prove, and nothing is to be proved.',
      'Add --prove, or leave it out.',
    );
  if (args.prove && args['dry-run'])
    refuse(
      '--prove checks what is about to be published, and a dry run publishes nothing.',
      'Leave one of them out.',
    );
  if (args.like !== undefined && (args.matching !== undefined || args.watch))
    refuse('--like publishes all of what was rehearsed, once.', 'Leave --matching and --watch out.');
  const { watch, agreed, save, like, diff } = args;
  if (args.from !== undefined && (watch || [agreed, save, like, diff].some((each) => each !== undefined)))
    refuse(
      '--from publishes what another destination holds, once and whole.',
      'Leave --watch, --agreed, --save, --like and --diff out.',
    );
  if (args.watch && (args['dry-run'] || args.agreed !== undefined || args.diff !== undefined))
    refuse(
      '--watch publishes again and again, so it goes with none of --dry-run, --agreed and --diff.',
      'Leave it out.',
    );
  if (args.watch && terminal.json)
    refuse('--watch goes on and on, and --json prints one document.', 'Leave one of them out.');
  if (args.watch && !args.yes && !terminal.interactive)
    refuse('--watch goes on publishing, and there is nobody to ask.', 'Add --yes.');
}
