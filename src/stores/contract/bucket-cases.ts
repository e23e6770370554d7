/** What a store has to do with buckets. */
import assert from 'node:assert/strict';
import {
  BUCKET,
  expectError,
  expectSite,
  expectSnapshot,
  listObjects,
  planFor,
  publish,
  withSnapshot,
  SITE,
  type Cases,
} from './kit.js';

export const BUCKETS: Cases = {
  'makes a bucket closed and empty, refuses a taken or impossible name, and says what is missing': async (
    store,
  ) => {
    assert.equal(await store.bucket(BUCKET), undefined, 'a bucket that was not made must be undefined');
    assert.deepEqual(await store.buckets(), []);
    await store.create(BUCKET, 5);
    const state = await store.bucket(BUCKET);
    assert.equal(state?.access, 'closed');
    assert.equal(state.release, 0);
    assert.equal(state.created, 5);
    await withSnapshot(store, undefined, async (snapshot) =>
      assert.deepEqual(await listObjects(snapshot), []),
    );
    await expectError(store.create(BUCKET, 6), 'BUCKET_TAKEN', 'making a bucket twice');
    await expectError(store.create('The Mill', 6), 'BUCKET_NAME', 'making a bucket of an impossible name');
    const missing = 'BUCKET_MISSING';
    await expectError(store.open('no-such-mill'), missing, 'opening a bucket that is not there');
    await expectError(store.changeAccess('no-such-mill', 'open'), missing, 'opening a missing bucket');
    await expectError(store.remove('no-such-mill'), missing, 'removing a bucket that is not there');
    const plan = await planFor(store, {});
    await expectError(store.begin('no-such-mill', plan), missing, 'publishing to a missing bucket');
    assert.deepEqual(
      (await store.buckets()).map(({ name }) => name),
      [BUCKET],
    );
  },
  'opens a bucket and closes it again': async (store) => {
    await store.create(BUCKET, 0);
    for (const access of ['open', 'closed', 'closed', 'open'] as const) {
      await store.changeAccess(BUCKET, access);
      assert.equal((await store.bucket(BUCKET))?.access, access);
    }
    await publish(store, SITE);
    assert.equal((await store.bucket(BUCKET))?.access, 'open', 'publishing must leave the access as it is');
  },
  'keeps buckets apart whose names begin alike': async (store) => {
    const others = ['-2', '0', 's'].map((end) => `${BUCKET}${end}`);
    for (const name of [BUCKET, ...others]) await store.create(name, 0);
    for (const bucket of others) await publish(store, { [`${bucket}.txt`]: 'other' }, { bucket });
    await publish(store, SITE);
    await expectSite(store, SITE);
    await store.remove(BUCKET);
    for (const bucket of others) {
      const snapshot = await store.open(bucket);
      await expectSnapshot(snapshot, { [`${bucket}.txt`]: 'other' });
      await snapshot.close();
    }
    assert.deepEqual((await store.buckets()).map(({ name }) => name).sort(), [
      `${BUCKET}-2`,
      `${BUCKET}0`,
      `${BUCKET}s`,
    ]);
  },
  'takes a bucket down, and gives its name free': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, SITE);
    const { bodies, bytes } = await store.remove(BUCKET);
    assert.ok(bodies >= 0 && bytes >= 0);
    assert.equal(await store.bucket(BUCKET), undefined);
    await expectError(store.open(BUCKET), 'BUCKET_MISSING', 'opening a bucket that was removed');
    await store.create(BUCKET, 1);
    await expectSite(store, {});
    await publish(store, { 'a.txt': 'another' });
    await expectSite(store, { 'a.txt': 'another' });
  },
};
