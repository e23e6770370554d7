/** What a store has to do with releases and with those who make them. */
import assert from 'node:assert/strict';
import { NEW_BUCKET_SETTINGS } from '../../core/hosting/bucket-view.js';
import {
  BUCKET,
  collect,
  listObjects,
  withSnapshot,
  expectError,
  expectSite,
  objectOf,
  planFor,
  publish,
  sourceOf,
  SITE,
  LARGE,
  type Cases,
  type Site,
} from './kit.js';

export const RELEASES: Cases = {
  'keeps what a release says of itself': async (store) => {
    await store.create(BUCKET, 0);
    const settings = {
      ...NEW_BUCKET_SETTINGS,
      documents: { index: 'index.html', error: 'oops.html' },
      readable: { keys: ['**'], except: ['drafts/**'] },
      moved: { permanently: { '/old': '/new' }, temporarily: {} },
      domains: ['www.mill.example'],
    };
    const record = await publish(store, SITE, { settings, note: 'The first', identity: 'whole', at: 7000 });
    assert.equal(record.release, 1);
    assert.equal(record.at, 7000);
    assert.equal(record.note, 'The first');
    assert.equal(record.by, 'contract@here');
    assert.equal(record.totals.add, 6);
    const state = await store.bucket(BUCKET);
    assert.equal(state?.release, 1);
    assert.deepEqual(state.settings, settings);
    assert.equal(state.identity, 'whole', 'the identity of what is published must be kept');
    if (state.objects !== undefined) assert.equal(state.objects, 6);
    if (state.bytes !== undefined) assert.equal(state.bytes, 600_014);
    await publish(store, { 'a.txt': 'one' });
    assert.equal((await store.bucket(BUCKET))?.identity, undefined, 'an identity is of one release alone');
  },
  'refuses bytes that are not the ones that were announced, and keeps the release it had': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one' });
    for (const text of ['two', LARGE]) {
      const plan = await planFor(store, { 'a.txt': 'one', 'b.txt': text });
      const publication = await store.begin(BUCKET, plan);
      const lie = async (): Promise<void> => {
        await publication.put(sourceOf(objectOf('b.txt', text), `${text.slice(1)}!`));
        await publication.settle();
        await publication.commit(1);
      };
      await expectError(lie(), 'FILE_CHANGING', 'sending other bytes than were announced');
      await publication.abandon();
    }
    await expectSite(store, { 'a.txt': 'one' });
    assert.equal((await store.bucket(BUCKET))?.release, 1);
  },
  'makes no release of a publication that is abandoned': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one' });
    const site: Site = { 'a.txt': 'one', 'b.txt': 'two', 'c.txt': LARGE };
    const publication = await store.begin(BUCKET, await planFor(store, site));
    for (const key of ['b.txt', 'c.txt'])
      await publication.put(sourceOf(objectOf(key, site[key] ?? ''), String(site[key])));
    await publication.settle();
    await publication.abandon();
    await publication.abandon();
    assert.equal((await store.bucket(BUCKET))?.release, 1, 'what is abandoned must not become a release');
    if (store.guarantees.instant) await expectSite(store, { 'a.txt': 'one' });
    await publish(store, site);
    await expectSite(store, site);
  },
  'can be relied on for every body that it does not lack, after a failure too': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one' });
    const site: Site = { 'a.txt': 'one', 'b.txt': 'two', 'c.txt': LARGE, 'd.txt': 'never sent' };
    const publication = await store.begin(BUCKET, await planFor(store, site));
    for (const key of ['b.txt', 'c.txt'])
      await publication.put(sourceOf(objectOf(key, site[key] ?? ''), String(site[key])));
    await expectError(
      publication.put(sourceOf(objectOf('d.txt', 'never sent'), 'never ever')),
      'FILE_CHANGING',
      'sending other bytes than were announced',
    ).catch(async () => {
      // A store may tell only when it commits.
      await expectError(publication.commit(1), 'FILE_CHANGING', 'sending other bytes than were announced');
    });
    await publication.abandon();
    const wanted = ['b.txt', 'c.txt', 'd.txt'].map((key) => objectOf(key, site[key] ?? '').digest);
    const lacks = await store.lacks(BUCKET, wanted);
    assert.ok(lacks.has(wanted[2] ?? ''), 'a body that never arrived must be lacking');
    // Only what it says that it lacks is sent; the rest it must have.
    await publish(store, site, { without: new Set(wanted.filter((digest) => !lacks.has(digest))) });
    await expectSite(store, site);
  },
  'makes no release whose bytes were never sent': async (store) => {
    await store.create(BUCKET, 0);
    const { digest } = objectOf('a.txt', 'never sent');
    await expectError(
      publish(store, { 'a.txt': 'never sent' }, { without: new Set([digest]) }),
      'BODIES_SWEPT',
      'committing without a body',
    );
    assert.equal((await store.bucket(BUCKET))?.release, 0);
  },
  'lets one of two publishers win, and tells the other': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one' });
    const agreedOn = await store.bucket(BUCKET);
    assert.ok(agreedOn);
    await publish(store, { 'a.txt': 'two' });
    await expectError(
      publish(store, { 'a.txt': 'late' }, { agreedOn }),
      'PUBLISHED_MEANWHILE',
      'publishing what was agreed on for an earlier release',
    );
    if (store.guarantees.instant) await expectSite(store, { 'a.txt': 'two' });
    assert.equal((await store.bucket(BUCKET))?.release, 2);
  },
  'refuses what was agreed on for a closed bucket, or for one that was removed': async (store) => {
    await store.create(BUCKET, 1);
    await publish(store, { 'a.txt': 'one' });
    const agreedOn = await store.bucket(BUCKET);
    assert.ok(agreedOn);
    await store.changeAccess(BUCKET, 'open');
    await expectError(
      publish(store, { 'a.txt': 'two' }, { agreedOn }),
      'OPENED_MEANWHILE',
      'publishing to a bucket that was closed when it was agreed on',
    );
    await store.remove(BUCKET);
    await store.create(BUCKET, 2);
    await publish(store, { 'b.txt': 'other' });
    await expectError(
      publish(store, { 'a.txt': 'two' }, { agreedOn }),
      'PUBLISHED_MEANWHILE',
      'publishing to a bucket that was made anew under the same number',
    );
  },
  'goes on answering what waits to be removed, says until when, and knows it from the rest': async (
    store,
  ) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one', 'b.txt': 'two', 'c.txt': 'three' });
    await publish(store, { 'a.txt': 'one' }, { at: 2000, later: { 'b.txt': 9000, 'c.txt': 5000 } });
    const state = await store.bucket(BUCKET);
    assert.deepEqual(
      state?.waiting,
      { objects: 2, bytes: 8, next: 5000 },
      'the state must say what waits, and when the next of it is due',
    );
    if (state.objects !== undefined) assert.equal(state.objects, 1, 'what waits is no object of the release');
    await withSnapshot(store, undefined, async (snapshot) => {
      const listed = await listObjects(snapshot);
      assert.deepEqual(
        listed.map(({ key, waits, neededUntil }) => [key, waits, neededUntil]),
        [
          ['a.txt', undefined, undefined],
          ['b.txt', true, 9000],
          ['c.txt', true, 5000],
        ],
      );
      const [, waiting] = listed;
      assert.ok(waiting);
      assert.deepEqual(await snapshot.find('b.txt'), waiting);
      assert.equal(await collect(snapshot.read(waiting)), 'two', 'its bytes must be answered as before');
    });
    // What is due goes, and what is not goes on waiting.
    await publish(store, { 'a.txt': 'one' }, { at: 6000 });
    assert.equal((await store.bucket(BUCKET))?.waiting?.objects, 1);
    await withSnapshot(store, undefined, async (snapshot) =>
      assert.equal(await snapshot.find('c.txt'), undefined),
    );
  },
  'takes what waits back into a release without its bytes being sent': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one', 'b.txt': 'two' });
    await publish(store, { 'a.txt': 'one' }, { at: 2000, later: { 'b.txt': 9000 } });
    const { digest } = objectOf('b.txt', 'two');
    assert.equal((await store.lacks(BUCKET, [digest])).size, 0, 'what waits is not lacking');
    await publish(store, { 'a.txt': 'one', 'b.txt': 'two' }, { at: 3000, without: new Set([digest]) });
    assert.equal((await store.bucket(BUCKET))?.waiting, undefined);
    await expectSite(store, { 'a.txt': 'one', 'b.txt': 'two' });
    // Whoever asked for it before may still do so.
    const until = await withSnapshot(store, undefined, (snapshot) => snapshot.find('b.txt'));
    assert.equal(until?.neededUntil, 9000);
    await publish(
      store,
      { 'a.txt': 'one', 'b.txt': 'two' },
      { at: 4000, needed: { 'a.txt': 7000, 'b.txt': 8000 } },
    );
    const [a, b] = await withSnapshot(store, undefined, listObjects);
    assert.deepEqual([a?.neededUntil, b?.neededUntil], [7000, 9000], 'the later of two moments counts');
  },
  'keeps the plain name beside a versioned one': async (store) => {
    await store.create(BUCKET, 0);
    const plan = await planFor(store, { 'a.4f1c2a9b.txt': 'one' });
    const put = plan.put.map((object) => ({ ...object, plain: 'a.txt' }));
    const publication = await store.begin(BUCKET, { ...plan, put });
    await publication.put(sourceOf(objectOf('a.4f1c2a9b.txt', 'one'), 'one'));
    await publication.commit(1000);
    await publication.abandon();
    const [object] = await withSnapshot(store, undefined, listObjects);
    assert.equal(object?.plain, 'a.txt');
  },
};
