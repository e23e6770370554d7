import { createReadPolicy, type ReadPolicy } from '../../core/access/read-policy.js';
import { basename, resolve } from 'node:path';
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
  formatExported,
  formatNothingToRemove,
  formatPlainSite,
  formatRemovals,
} from '../../report/text/bucket-text.js';
import { formatVerified } from '../../report/text/verified-text.js';
import type { Snapshot, Store } from '../../stores/port.js';
import { commandFor } from '../command-for.js';
import { mendBuckets } from '../mend-buckets.js';
import { defineCommand } from '../command.js';
import { matchingOption, sureOption, toOption } from '../options.js';
import { readReleaseNumber } from '../../jobs/history/read-release-number.js';
import type { Terminal } from '../terminal.js';
import { exportRelease } from '../../jobs/bucket/export-bucket.js';

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

/** A dash alone arrives as nothing. */
const isDash = (name: string): boolean => name === '-' || name === '';

async function exportPlain(
  snapshot: Snapshot,
  policies: readonly ReadPolicy[],
  project: Project,
  args: Args,
  terminal: Terminal,
): Promise<number> {
  const { name = '' } = args;
  const { exportSite } = await import('../../jobs/bucket/export-site.js');
  const exported = await exportSite(
    snapshot,
    {
      folder: resolve(name),
      site: project.config.site,
      isReadable: (key) => policies.every((policy) => policy.isReadable(key)),
      readableAlone: true,
    },
    terminal.progress,
  );
  const { bucket } = project.destination;
  terminal.print(formatPlainSite(bucket, exported, name, terminal.paint, args['in-full']));
  terminal.printJson({ bucket, folder: resolve(name), ...exported });
  return 0;
}

const IS_TAR = /\.(?:tar|tar\.gz|tgz)$/i;

/** @throws FenestraError USAGE, IMPORT_REFUSED, and whatever stops a publish */
async function importFiles(project: Project, args: Args, terminal: Terminal): Promise<number> {
  if (args.name === undefined)
    throw new FenestraError('USAGE', {
      what: 'import needs the folder or the archive to publish.',
      fix: 'Such as: `fenestra bucket import copy`; `fenestra bucket export` writes one.',
    });
  const name = isDash(args.name) ? '-' : args.name;
  if (name === '-' && process.stdin.isTTY)
    throw new FenestraError('USAGE', {
      what: 'There is no archive on the standard input.',
      fix: 'Send one (`fenestra bucket import - < site.tar`), or name a folder or a file.',
    });
  const { withCopy } = await import('../../jobs/bucket/with-copy.js');
  const { publishOnce } = await import('../publish-once.js');
  await withCopy(project, name, terminal.progress, (own, site) =>
    publishOnce(
      own,
      {
        ...{ site, yes: args.yes, sure: args.sure, dryRun: args['dry-run'], inFull: args['in-full'] },
        ...{ diff: undefined, save: undefined, thorough: true },
        note: args.note === '' ? `Imported from ${name === '-' ? 'an archive' : basename(name)}` : args.note,
      },
      terminal,
    ),
  );
  return 0;
}

/** @throws FenestraError USAGE, EXPORT_REFUSED, EXPORT_FAILED, RELEASE_UNKNOWN */
async function exportFiles(store: Store, project: Project, args: Args, terminal: Terminal): Promise<number> {
  if (args.name === undefined)
    throw new FenestraError('USAGE', {
      what: 'export needs the folder or the archive to write.',
      fix: 'Such as: `fenestra bucket export copy`.',
    });
  const { bucket } = project.destination;
  const release = args.release === undefined ? undefined : readReleaseNumber(args.release);
  const snapshot = await store.open(bucket, release);
  try {
    const policies = [snapshot.state, await assertBucket(store, bucket)].map(({ settings }) =>
      createReadPolicy(settings),
    );
    const isOutput = isDash(args.name);
    const isTar =
      args.format === 'tar' || (args.format === undefined && (isOutput || IS_TAR.test(args.name)));
    if (isOutput && (!isTar || terminal.json || process.stdout.isTTY))
      throw new FenestraError('USAGE', {
        what: 'What goes to the standard output is a tar archive and nothing else.',
        fix: 'Send it on (`fenestra bucket export - > site.tar`), without --json and --format folder, or name a folder or a file.',
      });
    if (args.format === 'site') return exportPlain(snapshot, policies, project, args, terminal);
    const write = isTar ? (await import('../../jobs/bucket/export-tar.js')).exportTar : exportRelease;
    const exported = await write(
      snapshot,
      {
        folder: isOutput ? '-' : resolve(args.name),
        site: project.config.site,
        // What nobody could read then, or may read now.
        isReadable: (key) => policies.every((policy) => policy.isReadable(key)),
        readableAlone: args.readable,
      },
      terminal.progress,
    );
    if (isOutput) return 0;
    terminal.print(formatExported(bucket, exported, args.name, terminal.paint));
    terminal.printJson({ bucket, folder: resolve(args.name), ...exported });
    return 0;
  } finally {
    await snapshot.close();
  }
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
