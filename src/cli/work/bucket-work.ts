/** What `fenestra bucket` does, one function for each action. */
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createHash } from 'node:crypto';
import { folderMeant, parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { compareObjects, countChanges } from '../../core/release/change-list.js';
import { countOf, formatBytes, formatCount } from '../../core/site/format-bytes.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { formatBucket, formatBuckets } from '../../report/text/bucket-text.js';
import { columns, visible, type Paint } from '../../report/text/paint.js';
import type { BucketState, BucketStore } from '../../stores/port.js';
import type { BucketArgs } from '../commands/bucket.js';
import type { Terminal } from '../terminal.js';
import { DEFAULT_PORT, needBucket, type Project } from './project.js';
import { publishChanges } from './publish-work.js';

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

interface Verified {
  readonly release: number;
  readonly objects: number;
  /** Kept releases before the current one. */
  readonly earlier: number;
  readonly damaged: readonly { readonly key: string; readonly release: number; readonly reason: string }[];
}

/** Reads every body that the bucket needs, for its current release and for those that it can go back to. */
async function verifyBucket(
  store: BucketStore,
  { name, release: current }: BucketState,
  objects: readonly StoredObject[],
  terminal: Terminal,
): Promise<Verified> {
  const damaged: { key: string; release: number; reason: string }[] = [];
  const known = new Map<string, string | undefined>();
  const line = terminal.progress('Verifying');
  const verify = async (release: number, all: readonly StoredObject[]): Promise<void> => {
    for (const [at, object] of all.entries()) {
      const { key, digest } = object;
      // What an earlier release shares with a later one was said there.
      if (release < current && known.has(digest)) continue;
      if (!known.has(digest)) known.set(digest, await verifyBody(store, object));
      const reason = known.get(digest);
      if (reason !== undefined) damaged.push({ key, release, reason });
      line.update(at + 1, all.length);
    }
  };
  try {
    await verify(current, objects);
    const earlier = (await store.listReleases(name)).filter(({ release }) => release < current);
    for (const { release } of earlier) await verify(release, await store.listObjectsAt(name, release));
    return { release: current, objects: objects.length, earlier: earlier.length, damaged };
  } finally {
    line.stop();
  }
}

function formatVerified({ release: current, objects, earlier, damaged }: Verified, paint: Paint): string {
  if (damaged.length === 0) {
    const more =
      earlier > 0
        ? `, and so are those of the ${earlier === 1 ? 'release before' : `${formatCount(earlier)} releases before`}`
        : '';
    return `${paint.good('Whole')}: the bytes of all ${countOf(objects, 'object')} are as they were published${more}.`;
  }
  const rows = damaged.map(({ key, release, reason }) => [
    paint.place(visible(key)),
    `release ${release}`,
    visible(reason),
  ]);
  const cure = damaged.some(({ release }) => release === current)
    ? 'Move the store away and publish again: the site folder is still whole.'
    : `Release ${current}, which visitors get, is whole: only do not go back to those.`;
  return `${paint.bad('Damaged')}: ${countOf(damaged.length, 'object')}\n${columns(rows)}\n${cure}`;
}

/** What is wrong with an object's stored bytes; undefined when they are as published. */
async function verifyBody(store: BucketStore, object: StoredObject): Promise<string | undefined> {
  if (object.size === 0) return undefined;
  const hash = createHash('sha256');
  let size = 0;
  try {
    for await (const chunk of (await store.openObject(object)) as AsyncIterable<Buffer>) {
      hash.update(chunk);
      size += chunk.length;
    }
  } catch (error) {
    if (error instanceof FenestraError && error.code === 'BODY_DAMAGED')
      return String(error.details['reason']);
    return error instanceof Error ? error.message : String(error);
  }
  if (size !== object.size) return `${formatCount(size)} bytes of ${formatCount(object.size)} are there`;
  return hash.digest('hex') === object.digest
    ? undefined
    : 'its bytes have another digest than was published';
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
      remedy: fault.becomes === undefined ? 'Correct the pattern.' : `Did you mean '${fault.becomes}'?`,
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
