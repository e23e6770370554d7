import { FenestraError } from '../../core/errors/catalogue.js';
import { defineCommand } from '../command.js';
import { openProject } from '../work/project.js';
import { publishOnce, type PublishArgs } from '../work/publish-once.js';

interface Args extends PublishArgs {
  readonly config: string;
  readonly to: string | undefined;
  readonly watch: boolean;
}

export default defineCommand<Args>({
  describe: 'Shows what would change in the bucket, asks, and publishes it at one instant.',
  examples: [
    ['fenestra publish --dry-run', 'only show the changes'],
    ['fenestra publish --to live --yes', 'publish to another destination without being asked'],
    ['fenestra publish --dry-run --save changes.json', 'keep the change list, to be agreed on'],
    ['fenestra publish --agreed changes.json', 'publish exactly that, or refuse'],
    ['fenestra publish --prove --yes', 'publish only what passes the check'],
  ],
  options: (yargs) =>
    yargs
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('dry-run', { type: 'boolean', default: false, describe: 'show the changes and stop' })
      .option('yes', { type: 'boolean', default: false, describe: 'publish without being asked' })
      .option('sure', {
        type: 'string',
        describe: "the bucket's name, where a change asks for it",
        requiresArg: true,
      })
      .option('in-full', { type: 'boolean', default: false, describe: 'every change with every property' })
      .option('diff', {
        type: 'string',
        describe: 'show how the text of one key would change, and stop',
        requiresArg: true,
      })
      .option('matching', {
        type: 'string',
        describe: 'publish only keys that match a pattern; settings stay',
        requiresArg: true,
      })
      .option('note', {
        type: 'string',
        default: '',
        describe: 'a message to keep with the release',
        requiresArg: true,
      })
      .option('save', {
        type: 'string',
        describe: 'with --dry-run: keep the change list in a file',
        requiresArg: true,
      })
      .option('agreed', {
        type: 'string',
        describe: 'publish exactly the change list in a file, or refuse',
        requiresArg: true,
      })
      .option('watch', {
        type: 'boolean',
        default: false,
        describe: 'go on publishing whenever files change',
      })
      .option('prove', {
        type: 'boolean',
        default: false,
        describe: 'check the release where no visitor sees it, and publish it only if it passes',
      })
      .option('fail-on', {
        choices: ['error', 'warning', 'note'] as const,
        default: 'error' as const,
        describe: 'with --prove: the lowest level that stops it',
      })
      .option('baseline', {
        type: 'string',
        describe: 'with --prove: a file of what is known already',
        requiresArg: true,
      }),
  async run(args, terminal) {
    if (args.save !== undefined && !args['dry-run'])
      throw new FenestraError('USAGE', {
        what: '--save keeps what a dry run shows.',
        fix: 'Add --dry-run.',
      });
    if (args.baseline !== undefined && !args.prove)
      throw new FenestraError('USAGE', {
        what: '--baseline says what is known to the check of --prove, and nothing is to be proved.',
        fix: 'Add --prove, or leave it out.',
      });
    if (args.prove && args['dry-run'])
      throw new FenestraError('USAGE', {
        what: '--prove checks what is about to be published, and a dry run publishes nothing.',
        fix: 'Leave one of them out.',
      });
    if (args.watch && (args['dry-run'] || args.agreed !== undefined || args.diff !== undefined)) {
      throw new FenestraError('USAGE', {
        what: '--watch publishes again and again, so it goes with none of --dry-run, --agreed and --diff.',
        fix: 'Leave it out.',
      });
    }
    if (args.watch && terminal.json) {
      throw new FenestraError('USAGE', {
        what: '--watch goes on and on, and --json prints one document.',
        fix: 'Leave one of them out.',
      });
    }
    const project = await openProject(args);
    if (!args.watch) await publishOnce(project, args, terminal);
    else {
      const { watchAndPublish } = await import('../work/watch-publish.js');
      // Whoever named the bucket meant the first publish, not whatever comes after it.
      await watchAndPublish(project, terminal, async (now, first) =>
        publishOnce(now, first ? args : { ...args, yes: true, sure: undefined }, terminal),
      );
    }
    return undefined;
  },
});
