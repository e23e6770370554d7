/**
 * What a publication is about to do, noted before it does anything: whoever comes after one that was killed knows which
 * objects may be others than the ledger says, and which are there already.
 */
import { siteObject, type ObjectHeaders, type SiteObject } from '../../core/site/site-object.js';
import { isDeepEqual } from '../../core/release/plain-data.js';
import { compareKeys } from '../../core/site/key.js';
import { isStoredObject } from '../../core/release/stored-shapes.js';
import type { SwiftClient } from './client.js';
import { damaged } from './ledger.js';
import type { LedgerRow, Rows } from './rows.js';
import { listNames } from './listing.js';
import { INTENT, ledgerOf, objectPath } from './names.js';
import { packLines, unpackLines } from './packed-lines.js';
import { isDocumentCopy, NO_NAMES, type WebNames } from './web-names.js';

export interface Intent {
  /** The release that it started from. */
  readonly base: number;
  readonly put: readonly SiteObject[];
  readonly remove: readonly string[];
  /** The names under which it puts documents before they are all seen at once. */
  readonly web?: WebNames | undefined;
}

/** What an intent that never came to its end has left. */
export interface Interrupted {
  readonly intent: Intent;
  /** The store's tag of what lies there now, by key, for every key that it was about. */
  readonly found: ReadonlyMap<string, string>;
  /** What it was to put, by key. */
  readonly put: ReadonlyMap<string, Intent['put'][number]>;
}

const pathOf = (bucket: string): string => objectPath(ledgerOf(bucket), INTENT);

export async function writeIntent(client: SwiftClient, bucket: string, intent: Intent): Promise<void> {
  await client.done({
    method: 'PUT',
    path: pathOf(bucket),
    headers: { 'content-type': 'application/gzip' },
    body: await packLines(linesOf(intent)),
  });
}

function* linesOf({ base, put, remove, web }: Intent): Generator<string> {
  yield JSON.stringify({ base, web });
  for (const object of put) yield JSON.stringify({ put: siteObject(object) });
  for (const key of remove) yield JSON.stringify({ remove: key });
}

async function readLines(packed: Buffer): Promise<Intent> {
  let base = -1;
  let web: WebNames | undefined;
  const put: SiteObject[] = [];
  const remove: string[] = [];
  for await (const line of unpackLines(packed)) {
    const said = (JSON.parse(line) ?? {}) as {
      readonly base?: number;
      readonly web?: WebNames;
      readonly put?: SiteObject;
      readonly remove?: string;
    };
    if (said.base !== undefined) base = said.base;
    web ??= said.web;
    if (said.put !== undefined) {
      if (!isStoredObject(said.put)) throw new Error('a line is no object');
      put.push(said.put);
    }
    if (typeof said.remove === 'string') remove.push(said.remove);
  }
  return { base, put, remove, web };
}

export const dropIntent = async (client: SwiftClient, bucket: string): Promise<void> =>
  void (await client.done({ method: 'DELETE', path: pathOf(bucket), expect: [404] }));

/** @param release the one that the bucket is at: an intent that started from another has come to its end */
export async function readIntent(
  client: SwiftClient,
  bucket: string,
  release: number,
): Promise<Intent | undefined> {
  const { status, bytes } = await client.bytes({
    method: 'GET',
    path: pathOf(bucket),
    headers: { 'x-newest': 'true' },
    expect: [404],
  });
  if (status === 404) return undefined;
  let intent: Intent;
  try {
    intent = await readLines(bytes);
  } catch (error) {
    throw damaged(client, pathOf(bucket), error);
  }
  return intent.base === release ? intent : undefined;
}

/** The keys that may be others than the ledger says. */
export const aboutOf = ({ put, remove }: Intent): ReadonlySet<string> =>
  new Set([...put.map(({ key }) => key), ...remove]);

export async function findInterrupted(
  client: SwiftClient,
  bucket: string,
  intent: Intent,
): Promise<Interrupted> {
  const about = aboutOf(intent);
  const found = new Map<string, string>();
  const documents = intent.web ? [intent.web] : [];
  for await (const { name, hash } of listNames(client, bucket))
    if (about.has(name) || isDocumentCopy(name, documents, NO_NAMES)) found.set(name, hash);
  return { intent, found, put: new Map(intent.put.map((each) => [each.key, each])) };
}

/** What is about to be done, and what was left half done before and may still be. */
export function joinIntents({ base, put, remove, web }: Intent, before: Intent | undefined): Intent {
  if (!before) return { base, put, remove, web };
  const known = new Set([...put.map(({ key }) => key), ...remove]);
  return {
    base,
    web,
    put: [...put, ...before.put.filter(({ key }) => !known.has(key))],
    remove: [...remove, ...before.remove.filter((key) => !known.has(key))],
  };
}

/** Stands for bytes of which nobody knows what they are. */
const UNKNOWN = '';

/** The objects as they really are: what an interrupted publish has touched is what it has left there. */
export function reconcile(rows: Rows, { intent, found }: Interrupted): Rows {
  const real = new Map(rows);
  const note = (key: string, size: number, headers: ObjectHeaders): void => {
    const tag = found.get(key);
    const row = rows.get(key);
    if (tag === undefined) real.delete(key);
    else if (row?.tag !== tag) {
      const since = row?.since ?? 0;
      real.set(key, {
        key,
        size: row?.size ?? size,
        digest: UNKNOWN,
        headers: row?.headers ?? headers,
        since,
        tag,
      });
    }
  };
  for (const { key, size, headers } of intent.put) note(key, size, headers);
  for (const key of intent.remove) note(key, 0, {});
  return new Map<string, LedgerRow>([...real].sort(([a], [b]) => compareKeys(a, b)));
}

/**
 * The same for whoever compares: of pages that may be seen by their folders' addresses as an interrupted publish has
 * left them nobody knows what a visitor sees.
 */
export function reconcileSeen(rows: Rows, interrupted: Interrupted): Rows {
  const real = reconcile(rows, interrupted);
  const { intent } = interrupted;
  if (intent.web === undefined) return real;
  const seen = new Map(real);
  for (const key of aboutOf(intent)) {
    const row = seen.get(key);
    if (row) seen.set(key, { ...row, digest: UNKNOWN, tag: '' });
  }
  return seen;
}

/**
 * Whether an interrupted publish has put just this already.
 * @param tag the store's own for its bytes @param name under which it lies
 */
export function isThere(
  interrupted: Interrupted | undefined,
  { key, digest, headers }: SiteObject,
  tag: string,
  name = key,
): boolean {
  if (interrupted?.found.get(name) !== tag) return false;
  const put = interrupted.put.get(key);
  return put?.digest === digest && isDeepEqual(put.headers, headers);
}
