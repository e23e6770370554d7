/** What the cases of the contract are written with. */
import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { FenestraError, type ErrorCode } from '../../core/errors/catalogue.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../../core/hosting/bucket-view.js';
import { compareObjects } from '../../core/release/change-list.js';
import { planRows, type ReleasePlan, type ReleaseRecord } from '../../core/release/release.js';
import { compareKeys } from '../../core/site/key.js';
import type { ObjectHeaders, SiteObject, StoredObject } from '../../core/site/site-object.js';
import type { BodySource, BucketState, Pieces, Snapshot, Store } from '../port.js';
import { seeded } from '../../core/words/seeded.js';

export const BUCKET = 'contract-mill';

export interface ContractOptions {
  /** Of the made-up sites; the same seed makes the same ones. */
  readonly seed?: number;
}

/** One thing that a store has to do. */
export interface ContractCase {
  readonly name: string;
  /** Rejects with an AssertionError that says what the store did instead. */
  run(): Promise<void>;
}

/** Keys to texts, or to a text with its headers. */
export type Site = Readonly<
  Record<string, string | { readonly text: string; readonly headers: ObjectHeaders }>
>;

const HEADERS: ObjectHeaders = { 'Content-Type': 'text/plain; charset=utf-8', 'Cache-Control': 'no-cache' };

const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

export function objectOf(key: string, given: Site[string]): SiteObject {
  const { text, headers } = typeof given === 'string' ? { text: given, headers: HEADERS } : given;
  const bytes = Buffer.from(text);
  return { key, size: bytes.length, digest: sha256(bytes), headers };
}

export const objectsOf = (site: Site): SiteObject[] =>
  Object.entries(site)
    .map(([key, given]) => objectOf(key, given))
    .sort((a, b) => compareKeys(a.key, b.key));

const textOf = (given: Site[string]): string => (typeof given === 'string' ? given : given.text);

/** @param text what its bytes really are */
export function sourceOf(object: SiteObject, text: string): BodySource {
  const bytes = Buffer.from(text);
  return {
    object,
    path: object.key,
    read: () => ({ bytes, verified: false }),
    *pieces() {
      // One buffer for all pieces, as a reader of files uses it.
      const piece = Buffer.alloc(64 * 1024);
      for (let at = 0; at < bytes.length; at += piece.length)
        yield piece.subarray(0, bytes.copy(piece, 0, at, at + piece.length));
    },
  };
}

export interface PublishOptions {
  readonly bucket?: string;
  readonly settings?: BucketSettings;
  /** The bucket as it was when the changes were agreed on. */
  readonly agreedOn?: BucketState;
  readonly note?: string;
  readonly identity?: string;
  /** Bodies that are not sent. */
  readonly without?: ReadonlySet<string>;
  readonly at?: number;
  /** Keys that are removed later, and until when they stay. */
  readonly later?: Readonly<Record<string, number>>;
  /** Keys that stay part of the release, and until when earlier pages may ask for them. */
  readonly needed?: Readonly<Record<string, number>>;
}

export async function planFor(store: Store, site: Site, options: PublishOptions = {}): Promise<ReleasePlan> {
  const name = options.bucket ?? BUCKET;
  const bucket = options.agreedOn ?? (await store.bucket(name));
  const snapshot = await store.open(name);
  try {
    const now = options.at ?? Date.now();
    const { entries, totals } = await compareObjects(objectsOf(site), snapshot.objects(), undefined, now);
    const later = Object.entries(options.later ?? {}).map(([key, until]) => [key, { until }] as const);
    const needed = new Map(Object.entries(options.needed ?? {}));
    return {
      base: bucket?.release ?? 0,
      bucket,
      by: 'contract@here',
      note: options.note ?? '',
      totals,
      settings: options.settings ?? NEW_BUCKET_SETTINGS,
      ...planRows(entries, new Map(later), needed),
      ...(options.identity === undefined ? {} : { identity: options.identity }),
    };
  } finally {
    await snapshot.close();
  }
}

/** Publishes a site whole. */
export async function publish(
  store: Store,
  site: Site,
  options: PublishOptions = {},
): Promise<ReleaseRecord> {
  const plan = await planFor(store, site, options);
  const publication = await store.begin(options.bucket ?? BUCKET, plan);
  try {
    for (const object of plan.put)
      if (!options.without?.has(object.digest))
        await publication.put(sourceOf(object, textOf(site[object.key] ?? '')));
    return await publication.commit(options.at ?? Date.now());
  } finally {
    await publication.abandon();
  }
}

export async function collect(pieces: Pieces): Promise<string> {
  const all: Buffer[] = [];
  for await (const piece of pieces) all.push(Buffer.from(piece));
  return Buffer.concat(all).toString();
}

export async function listObjects(snapshot: Snapshot): Promise<StoredObject[]> {
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  return objects;
}

/** Opens a snapshot, does some work with it and closes it. */
export async function withSnapshot<T>(
  store: Store,
  release: number | undefined,
  work: (snapshot: Snapshot) => Promise<T>,
): Promise<T> {
  const snapshot = await store.open(BUCKET, release);
  try {
    return await work(snapshot);
  } finally {
    await snapshot.close();
  }
}

/** Every object of a release, as listed and as found, with its bytes, must be the site's. */
export const expectSite = async (store: Store, site: Site, release?: number): Promise<void> =>
  withSnapshot(store, release, async (snapshot) => expectSnapshot(snapshot, site));

export async function expectSnapshot(snapshot: Snapshot, site: Site): Promise<void> {
  const wanted = objectsOf(site);
  const listed = await listObjects(snapshot);
  assert.deepEqual(
    listed.map(({ key }) => key),
    wanted.map(({ key }) => key),
    'objects() must name every key once, in the order of their UTF-8 bytes',
  );
  for (const [at, object] of wanted.entries()) {
    const got = listed[at];
    assert.ok(got);
    const { key, size, digest, headers } = got;
    assert.deepEqual(
      { key, size, digest, headers: { ...headers } },
      { ...object, headers: { ...object.headers } },
      `objects() must give ${key} as it was published`,
    );
    assert.equal(typeof got.since, 'number', `${key} must say since when it is so`);
    assert.deepEqual(await snapshot.find(key), got, `find() must give ${key} as objects() does`);
    assert.equal(
      sha256(Buffer.from(await collect(snapshot.read(got)))),
      digest,
      `read() must give the bytes of ${key}`,
    );
  }
}

/** Rejects unless some work fails with one of these codes. */
export async function expectError(
  work: Promise<unknown>,
  codes: ErrorCode | readonly ErrorCode[],
  when: string,
): Promise<void> {
  const wanted: readonly ErrorCode[] = typeof codes === 'string' ? [codes] : codes;
  let failure: unknown;
  try {
    await work;
  } catch (error) {
    failure = error;
  }
  assert.ok(failure !== undefined, `${when}: it must fail with ${wanted.join(' or ')}, and it did not fail`);
  assert.ok(
    failure instanceof FenestraError && wanted.includes(failure.code),
    `${when}: it must fail with ${wanted.join(' or ')}, and it failed with ${failure instanceof FenestraError ? failure.code : String(failure)}`,
  );
}

export { seeded };

/** Above any limit below which a store may treat bodies otherwise. */
export const LARGE = 'tide '.repeat(120_000);

export const SITE: Site = {
  'a.txt': 'one',
  'folder/b.txt': 'two',
  'folder.txt': 'three',
  'same.txt': 'one',
  'large.txt': LARGE,
  'empty.txt': '',
};

/** The cases of one concern, by their names. */
export type Cases = Readonly<Record<string, (store: Store, seed: number) => Promise<void>>>;
