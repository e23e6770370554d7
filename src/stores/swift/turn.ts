/** Setting which documents a container answers with, and turning all pages of folders to those of a release at once. */
import pMap from 'p-map';
import type { SharingSetting } from '../../core/hosting/sharing.js';
import type { ReleasePlan } from '../../core/release/release.js';
import { fileName } from '../../core/site/key.js';
import { setContainer } from './container.js';
import type { SwiftClient } from './client.js';
import type { Ledger } from './ledger.js';
import type { Rows } from './rows.js';
import { listNames } from './listing.js';
import { objectPath } from './names.js';
import {
  errorCopies,
  folderPage,
  isDocumentCopy,
  isFolderPage,
  namesOfRelease,
  plainNames,
  REMEMBERED_MS,
  type FormerNames,
  type Web,
  type WebNames,
} from './web-names.js';

const SIDE_BY_SIDE = 8;

/** How a release comes to be seen. */
export interface Turn {
  /** The names under which the documents answer from it on. */
  readonly to: WebNames;
  /** Whether they are the release's own, so that what the documents become has to lie under them before. */
  readonly isNew: boolean;
}

/** @param bySwitch whether all pages of folders are to be seen at once */
export function decideTurn(plan: ReleasePlan, ledger: Ledger, rows: Rows, bySwitch: boolean): Turn {
  const plain = plainNames(plan.settings);
  if (!bySwitch) return { to: plain, isNew: false };
  const isDocument = (key: string): boolean => isFolderPage(key, plain) || key === plain.error;
  const before = plainNames(ledger.state.settings);
  const changes =
    plan.put.some(({ key }) => isDocument(key)) ||
    plan.remove.some(isDocument) ||
    before.index !== plain.index ||
    before.error !== plain.error;
  // What is the same in both stays under the names that it has.
  if (!changes && ledger.web) return { to: ledger.web.now, isNew: false };
  const names = new Set<string>();
  for (const { key } of plan.put) names.add(fileName(key));
  for (const key of rows.keys()) names.add(fileName(key));
  return { to: namesOfRelease(plan.base + 1, plain, (name) => names.has(name)), isNew: true };
}

/** Where an object of the release lies until the turn; undefined where that is its own place. */
export const placeBefore = (
  key: string,
  { to, isNew }: Turn,
  { settings }: ReleasePlan,
): string | undefined => {
  if (!isNew) return undefined;
  const plain = plainNames(settings);
  if (key === plain.error) return errorCopies(to)[0];
  return isFolderPage(key, plain) ? folderPage(key, to) : undefined;
};

export interface TurnInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly plan: ReleasePlan;
  readonly rows: Rows;
  /** What an interrupted publish has left there. */
  readonly left: Iterable<string>;
  /** With whom the bucket was shared before. */
  readonly before: SharingSetting | undefined;
  /** Whether the release has an object. */
  readonly willHold: (key: string) => boolean;
}

/** Puts the documents that stay under the names of the release, then has all of them answer at once. */
export async function turnDocuments(
  { client, bucket, plan, rows, left, before, willHold }: TurnInput,
  turn: Turn,
): Promise<void> {
  const copy = async (from: string, to: string, tag?: string): Promise<void> => {
    await client.done({
      method: 'PUT',
      path: objectPath(bucket, to),
      headers: {
        'x-copy-from': objectPath(bucket, from),
        'content-length': '0',
        ...(tag === undefined || tag === '' ? {} : { 'if-match': `"${tag}"` }),
      },
      // What somebody else has removed or changed is theirs.
      expect: [404, 412],
    });
  };
  const plain = plainNames(plan.settings);
  const { error } = plain;
  if (turn.isNew) {
    // Pages of folders that the release does not have, under the very names that it will answer with.
    const stray = [...left].filter(
      (name) => fileName(name) === turn.to.index && !willHold(folderPage(name, plain)),
    );
    await removeAll(client, bucket, stray);
    const put = new Set(plan.put.map(({ key }) => key));
    const stay: (readonly [string, string])[] = [];
    for (const [key, { tag }] of rows)
      if (isFolderPage(key, plain) && !put.has(key) && willHold(key)) stay.push([key, tag]);
    await pMap(stay, ([key, tag]) => copy(key, folderPage(key, turn.to), tag), {
      concurrency: SIDE_BY_SIDE,
    });
  }
  const [first = '', ...others] = errorCopies(turn.to);
  if (error !== null && willHold(error)) {
    const isSent = turn.isNew && plan.put.some(({ key }) => key === error);
    if (!isSent && !willHold(first)) await copy(error, first);
    for (const other of others) if (!willHold(other)) await copy(isSent ? first : error, other);
  }
  await setContainer(client, bucket, { ...turn.to, sharing: plan.settings.sharing }, before);
}

/** What is set from the turn on, and what may still be asked for under the names of before. */
export function webAfter(
  { web, state }: Ledger,
  turn: Turn,
  plan: ReleasePlan,
  at: number,
  interrupted: WebNames | undefined,
): Web | undefined {
  const now = web?.now ?? plainNames(state.settings);
  const isTo = ({ index, error }: WebNames): boolean => index === turn.to.index && error === turn.to.error;
  // A proxy goes on asking for names of before; where only the error document has another there is nothing to ask for.
  const until = now.index === turn.to.index ? at : at + REMEMBERED_MS;
  const before = [
    { ...now, until },
    ...(interrupted ? [{ ...interrupted, until: at + REMEMBERED_MS }] : []),
    ...(web?.before ?? []),
  ].filter((names) => !isTo(names));
  const plain = plainNames(plan.settings);
  const isPlain = turn.to.index === plain.index && turn.to.error === plain.error;
  return isPlain && before.length === 0 ? undefined : { now: turn.to, before };
}

/** Removes documents under names of which no proxy knows any more. @returns what is left for another time */
export async function clearFormer(
  { client, bucket, plan, willHold }: TurnInput,
  web: Web | undefined,
  at: number,
): Promise<Web | undefined> {
  if (!web) return undefined;
  const plain = plainNames(plan.settings);
  const due = web.before.filter(({ until }) => until <= at);
  const left: readonly FormerNames[] = web.before.filter(({ until }) => until > at);
  const inUse = [web.now, ...left];
  const isDue = (name: string): boolean =>
    !willHold(name) && isDocumentCopy(name, due, plain) && !isDocumentCopy(name, inUse, plain);
  const gone: string[] = [];
  const isInFolders = due.some(({ index }) => index !== plain.index);
  if (isInFolders) {
    for await (const { name } of listNames(client, bucket)) if (isDue(name)) gone.push(name);
  } else gone.push(...due.flatMap(errorCopies).filter(isDue));
  await removeAll(client, bucket, gone);
  const isPlain = web.now.index === plain.index && web.now.error === plain.error;
  return isPlain && left.length === 0 ? undefined : { now: web.now, before: left };
}

const removeAll = (client: SwiftClient, bucket: string, names: readonly string[]): Promise<unknown> =>
  pMap(names, (name) => client.done({ method: 'DELETE', path: objectPath(bucket, name), expect: [404] }), {
    concurrency: SIDE_BY_SIDE,
  });
