import { hash } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS } from '../core/hosting/bucket-view.js';
import { compareObjects, countChanges } from '../core/release/change-list.js';
import { planRows, type ReleasePlan } from '../core/release/release.js';
import { compareKeys } from '../core/site/key.js';
import type { SiteObject } from '../core/site/site-object.js';
import { EmbeddedStore } from './embedded/embedded-store.js';
import { sweepBodies } from './embedded/sweep.js';
import type { BodySource, BucketState, BucketStore } from './port.js';

interface Case {
  readonly name: string;
  open(folder: string): BucketStore;
}
const STORES: readonly Case[] = [{ name: 'embedded', open: (folder) => EmbeddedStore.open(folder) }];

const object = (key: string, text: string): SiteObject => ({
  key,
  size: Buffer.byteLength(text),
  digest: hash('sha256', text, 'hex'),
  headers: { 'Content-Type': 'text/plain' },
});
const source = (key: string, text: string): BodySource => ({
  object: object(key, text),
  path: key,
  read: () => ({ bytes: Buffer.from(text), verified: false }),
  pieces: () => [Buffer.from(text)],
});

async function publish(
  store: BucketStore,
  site: Readonly<Record<string, string>>,
  base?: number,
  agreedOn?: BucketState,
): Promise<number> {
  const bucket = agreedOn ?? (await store.readBucket('mill'));
  const objects = Object.entries(site)
    .map(([key, text]) => object(key, text))
    .sort((a, b) => compareKeys(a.key, b.key));
  const changes = compareObjects(objects, store.listObjects('mill'));
  const plan = (): ReleasePlan => ({
    base: base ?? bucket?.release ?? 0,
    bucket,
    at: Date.now(),
    by: 'test',
    note: '',
    totals: countChanges(changes),
    settings: NEW_BUCKET_SETTINGS,
    ...planRows(changes),
  });
  return (
    await store.publish(
      'mill',
      Object.entries(site).map(([key, text]) => source(key, text)),
      plan,
    )
  ).release;
}

async function read(
  store: BucketStore,
  key: string,
  range?: { start: number; end: number },
): Promise<string> {
  for (const each of store.listObjects('mill')) {
    if (each.key !== key) continue;
    const chunks: Buffer[] = [];
    for await (const chunk of (await store.openObject(each, range)) as AsyncIterable<Buffer>)
      chunks.push(chunk);
    return Buffer.concat(chunks).toString();
  }
  return '(missing)';
}

describe.each(STORES)('the $name store', ({ open }) => {
  const folders: string[] = [];
  const stores: BucketStore[] = [];
  const make = (): BucketStore => {
    const folder = mkdtempSync(join(tmpdir(), 'fenestra-store-'));
    folders.push(folder);
    const store = open(join(folder, 'store'));
    stores.push(store);
    return store;
  };
  afterEach(async () => {
    for (const store of stores.splice(0)) await store.close();
    for (const folder of folders.splice(0)) rmSync(folder, { recursive: true, force: true });
  });

  it('makes buckets closed and empty, refuses a taken or impossible name, and says what is missing', async () => {
    const store = make();
    await store.createBucket('mill', 5);
    expect(await store.readBucket('mill')).toMatchObject({
      access: 'closed',
      release: 0,
      objects: 0,
      created: 5,
    });
    await expect(store.createBucket('mill', 6)).rejects.toMatchObject({
      code: 'BUCKET_TAKEN',
      fix: expect.stringContaining('mill-2') as string,
    });
    await expect(store.createBucket('The Mill', 6)).rejects.toMatchObject({ code: 'BUCKET_NAME' });
    await expect(store.changeAccess('mil', 'open')).rejects.toMatchObject({
      code: 'BUCKET_MISSING',
      message: expect.stringContaining('there is mill') as string,
    });
    await store.changeAccess('mill', 'open');
    expect((await store.listBuckets()).map(({ name, access }) => `${name} ${access}`)).toEqual(['mill open']);
  });

  it('gives back the bytes that were put, whole and in ranges, small and large', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    const large = 'tide '.repeat(100_000);
    await publish(store, { 'a.txt': 'small', 'b.txt': large, 'c.txt': 'small' });
    expect([
      await read(store, 'a.txt'),
      await read(store, 'c.txt'),
      (await read(store, 'b.txt')) === large,
    ]).toEqual(['small', 'small', true]);
    expect([
      await read(store, 'a.txt', { start: 1, end: 3 }),
      await read(store, 'b.txt', { start: 499_995, end: 499_999 }),
    ]).toEqual(['mal', 'tide ']);
  });

  it('refuses bytes that are not the ones that were announced, and keeps the release it had', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    await publish(store, { 'a.txt': 'one' });
    for (const text of ['two', 'x'.repeat(300_000)]) {
      const liar: BodySource = {
        ...source('b.txt', text),
        read: () => ({ bytes: Buffer.from('something else'), verified: false }),
        pieces: () => [Buffer.from('something else')],
      };
      await expect(
        store.publish('mill', [liar], () => {
          throw new Error('never asked for');
        }),
      ).rejects.toMatchObject({ code: 'FILE_CHANGING' });
    }
    expect((await store.readBucket('mill'))?.release).toBe(1);
  });

  it('lets one of two publishers win, and tells the other who and when', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    await publish(store, { 'a.txt': 'one' });
    await publish(store, { 'a.txt': 'two' });
    await expect(publish(store, { 'a.txt': 'late' }, 1)).rejects.toMatchObject({
      code: 'PUBLISHED_MEANWHILE',
      exit: 4,
      message: expect.stringMatching(/release 1 and is at 2 now, by test at/) as string,
    });
    expect(await read(store, 'a.txt')).toBe('two');
  });

  it('refuses what was agreed on for a closed bucket or another one', async () => {
    const store = make();
    await store.createBucket('mill', 1);
    await publish(store, { 'a.txt': 'one' });
    const agreedOn = await store.readBucket('mill');
    await store.changeAccess('mill', 'open');
    await expect(publish(store, { 'a.txt': 'two' }, 1, agreedOn)).rejects.toMatchObject({
      code: 'OPENED_MEANWHILE',
      exit: 4,
    });
    await store.removeBucket('mill');
    await store.createBucket('mill', 2);
    await publish(store, { 'b.txt': 'other' });
    await expect(publish(store, { 'a.txt': 'two' }, 1, agreedOn)).rejects.toMatchObject({
      code: 'PUBLISHED_MEANWHILE',
      message: expect.stringContaining('of a bucket made anew') as string,
    });
    expect([...store.listObjects('mill')].map(({ key }) => key)).toEqual(['b.txt']);
  });

  it('makes no release whose bytes are gone again', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    const bucket = await store.readBucket('mill');
    const plan = (): ReleasePlan => ({
      base: 0,
      bucket,
      at: 0,
      by: 'test',
      note: '',
      totals: countChanges([]),
      settings: NEW_BUCKET_SETTINGS,
      put: [object('a.txt', 'never sent')],
      remove: [],
    });
    await expect(store.publish('mill', [], plan)).rejects.toMatchObject({ code: 'BODIES_SWEPT', exit: 4 });
    expect((await store.readBucket('mill'))?.release).toBe(0);
  });

  it('counts what it would be sent: what it lacks, each body once', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    await publish(store, { 'a.txt': 'one' });
    const wanted = ['one', 'three', 'three', 'x', ''].map((text) => object('any', text));
    expect(await store.countToSend(wanted)).toBe(6);
  });

  it('knows every kept state, whatever was published in between and however much was swept', async () => {
    const names = fc.constantFrom('a', 'b/c', 'b.d', 'é', 'z');
    const texts = fc.constantFrom('1', '22', '333', '4'.repeat(270_000));
    const releases = fc.array(fc.dictionary(names, texts, { maxKeys: 5 }), { minLength: 1, maxLength: 6 });
    await fc.assert(
      fc.asyncProperty(releases, fc.integer({ min: 1, max: 4 }), async (sites, keep) => {
        const store = make();
        await store.createBucket('mill', 0);
        for (const site of sites) await publish(store, site);
        await store.keepReleases('mill', keep);
        if (store instanceof EmbeddedStore) sweepBodies(store.layout, store.rows, Date.now() + 1e6);
        const kept = (await store.listReleases('mill')).map(({ release }) => release);
        expect(kept).toEqual(sites.map((_, at) => sites.length - at).slice(0, keep));
        for (const release of kept) {
          const objects = await store.listObjectsAt('mill', release);
          const wanted = sites[release - 1] ?? {};
          expect(objects.map(({ key, digest }) => [key, digest])).toEqual(
            Object.keys(wanted)
              .sort(compareKeys)
              .map((key) => [key, hash('sha256', wanted[key] ?? '', 'hex')]),
          );
          for (const each of objects) {
            let size = 0;
            for await (const chunk of (await store.openObject(each)) as AsyncIterable<Buffer>)
              size += chunk.length;
            expect(size).toBe(each.size);
          }
        }
        await expect(store.listObjectsAt('mill', 99)).rejects.toMatchObject({ code: 'RELEASE_UNKNOWN' });
      }),
      { numRuns: 25 },
    );
  });

  it('takes a bucket down with everything that only it needed', async () => {
    const store = make();
    await store.createBucket('mill', 0);
    await publish(store, { 'a.txt': 'one', 'b.txt': 'x'.repeat(300_000) });
    expect(await store.removeBucket('mill')).toEqual({ bodies: 2, bytes: 300_003 });
    expect(await store.listBuckets()).toEqual([]);
    await expect(store.removeBucket('mill')).rejects.toMatchObject({ code: 'BUCKET_MISSING' });
  });
});
