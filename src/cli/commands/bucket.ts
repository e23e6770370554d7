import { folderMeant } from '../../core/assign/pattern.js';
import { buildTree } from '../../core/site/tree.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { emptyBucket, prepareEmptying } from '../../jobs/bucket/empty-bucket.js';
import { removeBucket } from '../../jobs/bucket/remove-bucket.js';
import { showBucket } from '../../jobs/bucket/show-bucket.js';
import { readMatching } from '../../jobs/project/matching.js';
import { openProject, type Project } from '../../jobs/project/open-project.js';
import {
  addressIn,
  listBuckets,
  assertBucket,
  withStore,
  withStoreThere,
} from '../../jobs/project/open-store.js';
import { byUntil, waitingOf } from '../../core/release/waiting.js';
import { waitingJson } from '../../report/json/waiting-json.js';
import { bucketJson, treeJson } from '../../report/json/bucket-json.js';
import {
  formatBucket,
  formatBucketCreated,
  formatBucketRemoved,
  formatBuckets,
  formatEmptied,
  formatNothingToRemove,
  formatRemovals,
} from '../../report/text/bucket-text.js';
import { formatVerified } from '../../report/text/verified-text.js';
import type { Store } from '../../stores/port.js';
import { commandFor } from '../command-for.js';
import { exportFiles, importFiles } from '../copy-files.js';
import { mendBuckets } from '../mend-buckets.js';
import { defineCommand } from '../command.js';
import { matchingOption, sureOption, toOption } from '../options.js';
import type { Terminal } from '../terminal.js';

interface Args {
  readonly action: 'list' | 'create' | 'show' | 'export' | 'import' | 'mend' | 'empty' | 'remove';
  readonly name: string | undefined;
  readonly to: string | undefined;
  readonly matching: string | undefined;
  readonly sure: string | undefined;
  readonly release: string | undefined;
  readonly tree: boolean;
  readonly verify: boolean;
  readonly readable: boolean;
  readonly 'with-contents': boolean;
  readonly all: boolean;
  readonly yes: boolean;
  readonly 'dry-run': boolean;
  readonly 'in-full': boolean;
  readonly format: 'folder' | 'tar' | 'site' | undefined;
  readonly note: string;
  readonly config: string | undefined;
}

export default defineCommand<Args>({
  positionals: '<action> [name]',
  describe:
    'The buckets of the store: list, create, show, export, import, mend, empty, remove. Without a name it is the bucket of the destination; export and import take a folder or a tar archive instead.',
  examples: [
    ['fenestra bucket list', 'all of them'],
    ['fenestra bucket show --tree', 'what is in one, folder by folder'],
    ['fenestra bucket show --verify', 'prove that every stored byte is as it was published'],
    ['fenestra bucket export copy --release 3', 'write release 3 as files, with a list of its headers'],
    [
      'fenestra bucket export public --format site',
      'files for a plain web server, and what it would answer otherwise',
    ],
    ['fenestra bucket import copy --to live', 'publish such files, byte for byte and header for header'],
    ['fenestra bucket mend --to live', 'put back what somebody else has changed past Fenestra'],
    ["fenestra bucket empty wendle-mill --matching 'posters/**'", 'take a part of it out'],
    ['fenestra bucket remove wendle-mill --with-contents', 'take it down; asks for the name'],
  ],
  options: (yargs) =>
    sureOption(
      matchingOption(
        toOption(
          yargs
            .positional('action', {
              choices: ['list', 'create', 'show', 'export', 'import', 'mend', 'empty', 'remove'] as const,
              demandOption: true,
              describe: 'what to do',
            })
            .positional('name', {
              type: 'string',
              describe:
                'the bucket; with export and import: a folder, a file that ends with .tar or .tar.gz, or - for standard output or input',
            }),
          'the destination whose store and bucket are meant, when it is not the first',
        ),
        'with empty: only keys that match a pattern',
      ),
      "the bucket's name, to empty or remove it without being asked",
    )
      .option('release', {
        type: 'string',
        describe: 'with export: an earlier release',
        requiresArg: true,
      })
      .option('format', {
        choices: ['folder', 'tar', 'site'] as const,
        describe: 'with export: what is written; `site` is files alone, for a plain web server',
        requiresArg: true,
      })
      .option('note', {
        type: 'string',
        default: '',
        describe: 'with import: a message to keep with the release',
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
      .option('readable', {
        type: 'boolean',
        default: false,
        describe: 'with export: only what the public may read',
      })
      .option('all', {
        type: 'boolean',
        default: false,
        describe: 'with mend: ask for every object, however many there are',
      })
      .option('dry-run', {
        type: 'boolean',
        default: false,
        describe: 'with import and mend: show what would change and stop',
        alias: 'n',
      })
      .option('yes', {
        type: 'boolean',
        default: false,
        describe: 'with import and mend: do it without being asked',
        alias: 'y',
      })
      .option('in-full', {
        type: 'boolean',
        default: false,
        describe: 'with import and mend: every property of every object; with export: every key',
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
        fix: `For one bucket: \`fenestra bucket show ${args.name}\`.`,
      });
    const name = args.name ?? project.destination.bucket;
    switch (args.action) {
      case 'list':
        return list(project, terminal);
      case 'create':
        return withStore(project, async (store) => create(store, name, project, terminal));
      case 'show':
        return withStoreThere(project, async (store) => show(store, name, args, project, terminal));
      case 'export':
        return withStoreThere(project, async (store) => exportFiles(store, project, args, terminal));
      case 'import':
        return importFiles(project, args, terminal);
      case 'mend':
        return withStoreThere(project, async (store) =>
          mendBuckets(project, store, args.name, args, terminal),
        );
      case 'empty':
        return withStoreThere(project, async (store) => empty(store, name, args, project, terminal));
      case 'remove':
        return withStoreThere(project, async (store) => remove(store, name, args, project, terminal));
    }
  },
});

async function list(project: Project, terminal: Terminal): Promise<number> {
  const buckets = await listBuckets(project);
  terminal.print(formatBuckets(buckets, terminal.paint));
  terminal.printJson({
    store: project.destination.store,
    buckets: buckets.map(({ state, address }) => bucketJson(state, address)),
  });
  return 0;
}

async function create(
  store: Store,
  name: string,
  project: Project,
  { paint, print, printJson }: Terminal,
): Promise<number> {
  await store.create(name, Date.now());
  const address = await addressIn(project, store, name);
  print(formatBucketCreated(name, address, paint));
  printJson(bucketJson(await assertBucket(store, name), address));
  return 0;
}

async function show(
  store: Store,
  name: string,
  args: Args,
  project: Project,
  terminal: Terminal,
): Promise<number> {
  const { state, objects, verified } = await showBucket(store, name, args.verify, terminal.progress);
  const address = await addressIn(project, store, name);
  terminal.print(formatBucket(state, objects, address, args.tree, terminal.paint));
  if (verified) terminal.print(`\n${formatVerified(verified, terminal.paint)}`);
  terminal.printJson({
    ...bucketJson(state, address),
    waiting: waitingOf(objects).sort(byUntil).map(waitingJson),
    ...(args.tree ? { tree: treeJson(buildTree(objects.filter(({ waits }) => !waits))) } : {}),
    ...(verified
      ? { verified: verified.objects, earlierReleases: verified.earlier, damaged: verified.damaged }
      : {}),
  });
  return verified && verified.damaged.length > 0 ? 3 : 0;
}

async function empty(
  store: Store,
  name: string,
  args: Args,
  project: Project,
  terminal: Terminal,
): Promise<number> {
  const matching = readMatching(args.matching);
  const emptying = await prepareEmptying(store, name, matching);
  const { comparison, removed, keys } = emptying;
  const before = comparison.bucket?.release ?? 0;
  const report = (release: number): object => ({
    bucket: name,
    release,
    removed: removed.map(({ key }) => key),
  });
  if (removed.length === 0) {
    const meant = matching && folderMeant(matching.pattern, keys);
    terminal.print(formatNothingToRemove(name, comparison.held, matching?.pattern, meant));
    terminal.printJson(report(before));
    return 0;
  }
  terminal.print(`${formatRemovals(removed, terminal.paint)}\n`);
  const record = await emptyBucket(
    store,
    name,
    emptying,
    { matching, keep: project.config.historyDepth },
    terminal.progress,
    terminal.questions(args.sure),
  );
  const counts = { removed: removed.length, held: comparison.held, release: record.release };
  const { config, destination } = project;
  const owner =
    name === destination.bucket
      ? destination
      : config.destinations.find((each) => each.bucket === name && each.store === destination.store);
  const command = owner && commandFor(project, owner, args.config, terminal);
  const back = store.guarantees.history && command ? command(`restore ${before}`) : undefined;
  terminal.print(formatEmptied(name, counts, back, terminal.paint));
  terminal.printJson(report(record.release));
  return 0;
}

async function remove(
  store: Store,
  name: string,
  args: Args,
  project: Project,
  terminal: Terminal,
): Promise<number> {
  const questions = terminal.questions(args.sure);
  const removed = await removeBucket(store, name, args['with-contents'], project, questions);
  terminal.print(formatBucketRemoved(name, removed, terminal.paint));
  terminal.printJson({ bucket: name, removed });
  return 0;
}
