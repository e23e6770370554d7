/** What `fenestra bucket` does, one function for each action. */
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { folderMeant, parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { compareObjects, countChanges } from '../../core/release/change-list.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import { formatBucket, formatBuckets } from '../../report/text/bucket-text.js';
import { columns, visible } from '../../report/text/paint.js';
import type { BucketState, BucketStore } from '../../stores/port.js';
import type { BucketArgs } from '../commands/bucket.js';
import type { Terminal } from '../terminal.js';
import { DEFAULT_PORT, needBucket, type Project } from './project.js';
import { publishChanges } from './publish-work.js';
import { formatVerified, verifyBucket } from './verify-bucket.js';

const addressOf = (bucket: string): string => `http://${bucket}.localhost:${DEFAULT_PORT}/`;

const toJson = ({ name, access, release, objects, bytes, created, settings }: BucketState): object => ({
  bucket: name,
  address: addressOf(name),
  access,
  release,
  objects,
  bytes,
  created: new Date(created).toISOString(),
  settings,
});

export async function listBuckets(store: BucketStore, terminal: Terminal): Promise<number> {
  const buckets = await store.listBuckets();
  terminal.print(formatBuckets(buckets, addressOf, terminal.paint));
  terminal.printJson({ store: store.name, buckets: buckets.map(toJson) });
  return 0;
}

export async function createBucket(store: BucketStore, name: string, terminal: Terminal): Promise<number> {
  await store.createBucket(name, Date.now());
  terminal.print(
    `${terminal.paint.good('Created')} ${terminal.paint.strong(name)}: empty, closed, at ${addressOf(name)}`,
  );
  terminal.printJson(toJson(await needBucket(store, name)));
  return 0;
}

export async function showBucket(
  store: BucketStore,
  name: string,
  args: BucketArgs,
  terminal: Terminal,
): Promise<number> {
  const state = await needBucket(store, name);
  const objects = [...store.listObjects(name)];
  terminal.print(formatBucket(state, objects, addressOf(name), args.tree, terminal.paint));
  const verified = args.verify ? await verifyBucket(store, state, objects, terminal) : undefined;
  if (verified) terminal.print(`\n${formatVerified(verified, terminal.paint)}`);
  terminal.printJson({
    ...toJson(state),
    ...(verified
      ? { verified: verified.objects, earlierReleases: verified.earlier, damaged: verified.damaged }
      : {}),
  });
  return verified && verified.damaged.length > 0 ? 3 : 0;
}

export async function emptyBucket(
  store: BucketStore,
  name: string,
  args: BucketArgs,
  { config }: Project,
  terminal: Terminal,
): Promise<number> {
  const state = await needBucket(store, name);
  const fault = args.matching === undefined ? undefined : patternFault(args.matching);
  if (fault)
    throw new FenestraError('USAGE', {
      what: `--matching: ${fault.fault}.`,
      fix: fault.becomes === undefined ? 'Correct the pattern.' : `Did you mean '${fault.becomes}'?`,
    });
  const covers = args.matching === undefined ? () => true : parsePattern(args.matching);
  const objects = [...store.listObjects(name)];
  const all = compareObjects(
    objects.filter(({ key }) => !covers(key)),
    objects,
  );
  const changes = all.filter(({ change }) => change === 'remove');
  const report = (release: number): object => ({
    bucket: name,
    release,
    removed: changes.map(({ key }) => key),
  });
  if (changes.length === 0) {
    const folder =
      args.matching === undefined
        ? undefined
        : folderMeant(
            args.matching,
            objects.map(({ key }) => key),
          );
    terminal.print(
      `Nothing to remove: ${name} holds ${countOf(objects.length, 'object')}${args.matching === undefined ? '' : `, none that matches ${visible(args.matching)}`}.${folder === undefined ? '' : ` Did you mean '${folder}'?`}`,
    );
    terminal.printJson(report(state.release));
    return 0;
  }
  terminal.print(
    `${columns(
      changes
        .slice(0, 15)
        .map(({ key, was }) => [terminal.paint.bad('remove'), visible(key), formatBytes(was?.size ?? 0)]),
      [2],
    )}${changes.length > 15 ? terminal.paint.soft(`\n  and ${changes.length - 15} more`) : ''}\n`,
  );
  await terminal.confirmName(
    `This removes ${changes.length} of the ${countOf(objects.length, 'object')} in ${name}.`,
    name,
    args.sure,
  );
  const note = args.matching === undefined ? 'Emptied' : `Emptied of ${args.matching}`;
  const record = await publishChanges(
    {
      bucket: state,
      changes,
      settings: [],
      becomes: state.settings,
      totals: countChanges(all),
      toSend: 0,
      identity: undefined,
    },
    [],
    store,
    name,
    { note, keep: config.historyDepth },
    terminal,
  );
  terminal.print(
    `${terminal.paint.warn('Removed')} ${countOf(changes.length, 'object')}: ${name} is at release ${record.release} with ${countOf(objects.length - changes.length, 'object')}. fenestra restore ${state.release} brings them back.`,
  );
  terminal.printJson(report(record.release));
  return 0;
}

export async function removeBucket(
  store: BucketStore,
  name: string,
  args: BucketArgs,
  { config, destination }: Project,
  terminal: Terminal,
): Promise<number> {
  const state = await needBucket(store, name);
  if (state.objects > 0 && !args['with-contents'])
    throw new FenestraError('BUCKET_NOT_EMPTY', { name, objects: countOf(state.objects, 'object') });
  const releases = (await store.listReleases(name)).length;
  await terminal.confirmName(
    `This removes ${name} with ${countOf(state.objects, 'object')} (${formatBytes(state.bytes)}) and ${countOf(releases, 'release')}. It cannot be taken back.`,
    name,
    args.sure,
  );
  const swept = await store.removeBucket(name);
  const memory = name === destination.bucket ? forgetSurveys(join(config.folder, '.fenestra', 'survey')) : 0;
  const removed = [
    countOf(state.objects, 'object'),
    countOf(releases, 'release'),
    `${countOf(swept.bodies, 'body', 'bodies')} (${formatBytes(swept.bytes)})`,
    ...(memory > 0 ? [`what the survey remembered (${countOf(memory, 'file')})`] : []),
  ];
  terminal.print(`${terminal.paint.warn('Removed')} ${terminal.paint.strong(name)}: ${removed.join(', ')}.`);
  terminal.printJson({
    bucket: name,
    removed: { objects: state.objects, releases, bodies: swept.bodies, bytes: swept.bytes, memory },
  });
  return 0;
}

function forgetSurveys(folder: string): number {
  let count = 0;
  try {
    for (const file of readdirSync(folder)) {
      rmSync(join(folder, file), { force: true });
      count++;
    }
  } catch {
    // Nothing was remembered.
  }
  return count;
}
