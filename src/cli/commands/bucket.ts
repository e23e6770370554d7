import { FenestraError } from '../../core/errors/catalogue.js';
import { defineCommand } from '../command.js';
import { createBucket, emptyBucket, listBuckets, removeBucket, showBucket } from '../work/bucket-work.js';
import { openProject, withStore } from '../work/project.js';

interface Args {
  readonly action: 'list' | 'create' | 'show' | 'empty' | 'remove';
  readonly name: string | undefined;
  readonly matching: string | undefined;
  readonly sure: string | undefined;
  readonly tree: boolean;
  readonly verify: boolean;
  readonly 'with-contents': boolean;
  readonly config: string;
}

export type BucketArgs = Args;

export default defineCommand<Args>({
  positionals: '<action> [name]',
  describe:
    'The buckets of the store: list, create, show, empty, remove. Without a name it is the bucket of the first destination.',
  examples: [
    ['fenestra bucket list', 'all of them'],
    ['fenestra bucket show --tree', 'what is in one, folder by folder'],
    ['fenestra bucket show --verify', 'prove that every stored byte is as it was published'],
    ["fenestra bucket empty wendle-mill --matching 'posters/**'", 'take a part of it out'],
    ['fenestra bucket remove wendle-mill --with-contents', 'take it down; asks for the name'],
  ],
  options: (yargs) =>
    yargs
      .positional('action', {
        choices: ['list', 'create', 'show', 'empty', 'remove'] as const,
        demandOption: true,
        describe: 'what to do',
      })
      .positional('name', { type: 'string', describe: 'the bucket' })
      .option('matching', {
        type: 'string',
        describe: 'with empty: only keys that match a pattern',
        requiresArg: true,
      })
      .option('sure', {
        type: 'string',
        describe: "the bucket's name, to empty or remove it without being asked",
        requiresArg: true,
      })
      .option('tree', {
        type: 'boolean',
        default: false,
        describe: 'with show: the objects folder by folder',
      })
      .option('verify', {
        type: 'boolean',
        default: false,
        describe: 'with show: read every byte and compare it with its digest',
      })
      .option('with-contents', {
        type: 'boolean',
        default: false,
        describe: 'with remove: a bucket that still holds objects',
      }),
  async run(args, terminal) {
    const project = await openProject(args);
    if (args.action === 'list' && args.name !== undefined)
      throw new FenestraError('USAGE', {
        what: 'list takes no name.',
        fix: `For one bucket: fenestra bucket show ${args.name}`,
      });
    const name = args.name ?? project.destination.bucket;
    return withStore(project, async (store) => {
      switch (args.action) {
        case 'list':
          return listBuckets(store, terminal);
        case 'create':
          return createBucket(store, name, terminal);
        case 'show':
          return showBucket(store, name, args, terminal);
        case 'empty':
          return emptyBucket(store, name, args, project, terminal);
        case 'remove':
          return removeBucket(store, name, args, project, terminal);
      }
    });
  },
});
