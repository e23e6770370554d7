/** What a store has to do for each guarantee that it gives, and what none may pretend. */
import assert from 'node:assert/strict';
import { compareKeys } from '../../core/site/key.js';
import type { Snapshot, Store } from '../port.js';
import {
  BUCKET,
  collect,
  expectError,
  expectSite,
  expectSnapshot,
  listObjects,
  objectOf,
  planFor,
  publish,
  sourceOf,
  withSnapshot,
  SITE,
  LARGE,
  type Cases,
  type Site,
} from './kit.js';

export const INSTANT: Cases = {
  'shows a release whole at a single instant, and a snapshot stays what it is': async (store) => {
    await store.create(BUCKET, 0);
    const keys = Array.from({ length: 40 }, (_, at) => `f${at}.txt`);
    const sites = ['a', 'b'].map((text): Site => Object.fromEntries(keys.map((key) => [key, text])));
    const [first = {}, second = {}] = sites;
    await publish(store, first);
    const held = await store.open(BUCKET);
    let publishing = true;
    const publisher = (async () => {
      for (let round = 0; round < 10; round++) await publish(store, round % 2 === 0 ? second : first);
      publishing = false;
    })();
    const looker = (async () => {
      while (publishing) {
        await withSnapshot(store, undefined, async (snapshot) => {
          const odd = snapshot.state.release % 2 === 1;
          await expectSnapshot(snapshot, odd ? first : second);
        });
        await new Promise(setImmediate);
      }
    })();
    const ended = await Promise.allSettled([publisher, looker]);
    publishing = false;
    for (const each of ended) if (each.status === 'rejected') throw each.reason;
    await expectSnapshot(held, first);
    await held.close();
  },
};

/** What a store says that two releases differ in is what listing both shows. */
async function expectDifferences(store: Store, from: number, to: number): Promise<void> {
  const told = await store.differences?.(BUCKET, from, to);
  if (!told) return;
  const listed = await Promise.all(
    [from, to].map(async (release) => {
      const snapshot = await store.open(BUCKET, release);
      const objects = new Map<string, string>();
      for await (const object of snapshot.objects()) objects.set(object.key, JSON.stringify(object));
      await snapshot.close();
      return objects;
    }),
  );
  const [was, is] = listed;
  const differ = [...new Set(listed.flatMap((objects) => [...objects.keys()]))].filter(
    (key) => was?.get(key) !== is?.get(key),
  );
  for (const [objects, side] of [
    [told.from, was],
    [told.to, is],
  ] as const) {
    const keys = objects.map(({ key }) => key);
    assert.deepEqual(keys, [...keys].sort(compareKeys), 'differences come in key order');
    for (const object of objects)
      assert.equal(
        JSON.stringify(object),
        side?.get(object.key),
        `${object.key} in releases ${from} and ${to}`,
      );
    const missing = differ.filter((key) => side?.has(key) && !keys.includes(key));
    assert.deepEqual(missing, [], `differences of ${from} and ${to} leave keys out`);
  }
}

export const HISTORY: Cases = {
  'knows every kept state, and forgets what it is told to forget': async (store) => {
    assert.ok(store.releases && store.keepReleases, 'a store with a history has releases and keepReleases');
    await store.create(BUCKET, 0);
    const sites: Site[] = [
      { 'a.txt': 'one' },
      { 'a.txt': 'two', 'b.txt': LARGE },
      { 'b.txt': LARGE },
      {},
      { 'a.txt': 'one', 'c.txt': 'three' },
    ];
    for (const [at, site] of sites.entries()) await publish(store, site, { note: `number ${at + 1}` });
    const kept = async (): Promise<number[]> =>
      ((await store.releases?.(BUCKET)) ?? []).map(({ release }) => release);
    assert.deepEqual(await kept(), [5, 4, 3, 2, 1]);
    assert.equal((await store.releases(BUCKET))[1]?.note, 'number 4');
    await expectSite(store, {}, 0);
    for (const [at, site] of sites.entries()) await expectSite(store, site, at + 1);
    await expectError(store.open(BUCKET, 99), 'RELEASE_UNKNOWN', 'opening a release that there is not');
    for (let from = 0; from <= sites.length; from++)
      for (let to = 0; to <= sites.length; to++) await expectDifferences(store, from, to);
    await store.keepReleases(BUCKET, 2);
    assert.deepEqual(await kept(), [5, 4]);
    await expectSite(store, {}, 4);
    await expectSite(store, sites[4] ?? {}, 5);
    await expectError(store.open(BUCKET, 2), 'RELEASE_UNKNOWN', 'opening a release that was forgotten');
  },
};

export const STAGING: Cases = {
  'lets a publication be read before it counts': async (store) => {
    await store.create(BUCKET, 0);
    const site: Site = { 'a.txt': 'one', 'b.txt': LARGE };
    const publication = await store.begin(BUCKET, { ...(await planFor(store, site)), staged: true });
    for (const [key, given] of Object.entries(site))
      await publication.put(sourceOf(objectOf(key, given), String(given)));
    await publication.settle();
    assert.ok(publication.read, 'a store with staging has publications that can be read');
    for (const [key, given] of Object.entries(site))
      assert.equal(await collect(publication.read(objectOf(key, given))), given);
    assert.equal(await collect(publication.read(objectOf('b.txt', LARGE), { start: 5, end: 9 })), 'tide ');
    assert.equal((await store.bucket(BUCKET))?.release, 0, 'what is staged must not count yet');
    await withSnapshot(store, undefined, async (snapshot: Snapshot) =>
      assert.deepEqual(await listObjects(snapshot), []),
    );
    await publication.abandon();
  },
};

/** Without a guarantee nothing may look as if there were one. */
export const HONEST: Cases = {
  'has the members that its guarantees call for, and no others': async (store) => {
    const { history, staging } = store.guarantees;
    assert.equal(store.releases !== undefined, history, 'releases() goes with the guarantee of a history');
    assert.equal(store.keepReleases !== undefined, history, 'keepReleases() goes with it too');
    await store.create(BUCKET, 0);
    const publication = await store.begin(BUCKET, { ...(await planFor(store, {})), staged: true });
    assert.equal(publication.read !== undefined, staging, 'read() goes with the guarantee of staging');
    await publication.abandon();
    const hosting = store.hosting?.();
    if (!hosting) return;
    await publish(store, SITE);
    hosting.refresh();
    const view = hosting.view(BUCKET);
    const object = view?.find('a.txt');
    assert.ok(object, 'what is hosted must be what is published');
    assert.equal((await hosting.read(object)).toString(), 'one');
  },
};
