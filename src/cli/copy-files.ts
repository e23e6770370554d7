/** `bucket export` and `bucket import` on the terminal: folders, archives, and files for a plain web server. */
import { basename, resolve } from 'node:path';
import { createReadPolicy } from '../core/access/read-policy.js';
import { FenestraError } from '../core/errors/catalogue.js';
import { exportRelease } from '../jobs/bucket/export-bucket.js';
import { readReleaseNumber } from '../jobs/history/read-release-number.js';
import type { Project } from '../jobs/project/open-project.js';
import { assertBucket } from '../jobs/project/open-store.js';
import { formatExported, formatPlainSite } from '../report/text/bucket-text.js';
import type { Snapshot, Store } from '../stores/port.js';
import type { Terminal } from './terminal.js';

interface Args {
  readonly name: string | undefined;
  readonly sure: string | undefined;
  readonly release: string | undefined;
  readonly readable: boolean;
  readonly yes: boolean;
  readonly 'dry-run': boolean;
  readonly 'in-full': boolean;
  readonly format: 'folder' | 'tar' | 'site' | undefined;
  readonly note: string;
}

/** A dash alone arrives as nothing. */
const isDash = (name: string): boolean => name === '-' || name === '';

async function exportPlain(
  {
    snapshot,
    isReadable,
    project,
  }: {
    readonly snapshot: Snapshot;
    readonly isReadable: (key: string) => boolean;
    readonly project: Project;
  },
  args: Args,
  terminal: Terminal,
): Promise<number> {
  const { name = '' } = args;
  const { exportSite } = await import('../jobs/bucket/export-site.js');
  const exported = await exportSite(
    snapshot,
    {
      folder: resolve(name),
      site: project.config.site,
      isReadable,
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
export async function importFiles(project: Project, args: Args, terminal: Terminal): Promise<number> {
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
  const { withCopy } = await import('../jobs/bucket/with-copy.js');
  const { publishOnce } = await import('./publish-once.js');
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
export async function exportFiles(
  store: Store,
  project: Project,
  args: Args,
  terminal: Terminal,
): Promise<number> {
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
    // What nobody could read then, or may read now.
    const isReadable = (key: string): boolean => policies.every((policy) => policy.isReadable(key));
    const isOutput = isDash(args.name);
    const isTar =
      args.format === 'tar' || (args.format === undefined && (isOutput || IS_TAR.test(args.name)));
    if (isOutput && (!isTar || terminal.json || process.stdout.isTTY))
      throw new FenestraError('USAGE', {
        what: 'What goes to the standard output is a tar archive and nothing else.',
        fix: 'Send it on (`fenestra bucket export - > site.tar`), without --json and --format folder, or name a folder or a file.',
      });
    if (args.format === 'site') return exportPlain({ snapshot, isReadable, project }, args, terminal);
    const write = isTar ? (await import('../jobs/bucket/export-tar.js')).exportTar : exportRelease;
    const exported = await write(
      snapshot,
      {
        folder: isOutput ? '-' : resolve(args.name),
        site: project.config.site,
        isReadable,
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
