/** What a store has to do with objects: keys, bytes, headers, order. */
import assert from 'node:assert/strict';
import {
  BUCKET,
  collect,
  expectSite,
  listObjects,
  publish,
  seeded,
  withSnapshot,
  SITE,
  LARGE,
  type Cases,
  type Site,
} from './kit.js';

export const OBJECTS: Cases = {
  'gives back what was published: keys, bytes and every header': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, SITE);
    await expectSite(store, SITE);
    const headers = {
      'Content-Type': 'text/html; charset=utf-8',
      'Cache-Control': 'max-age=60, stale-while-revalidate=30',
      'Content-Encoding': 'gzip',
      'Content-Language': 'en, cy',
      'Content-Disposition': "attachment; filename*=UTF-8''m%C3%BChle.pdf",
      Expires: 'Thu, 24 Dec 2026 00:00:00 GMT',
    };
    const strange: Site = {
      'a.txt': { text: 'one', headers },
      'b.txt': { text: 'two', headers: {} },
      'with space & sign +%2F?#.txt': 'x',
      'münster/größe.txt': 'x',
      constructor: 'x',
      'x.constructor/toString': 'x',
      '\u{1F30A}.txt': 'after all of the plane below',
      '\uFFEE.txt': 'before it',
      [`${'long/'.repeat(190)}key.txt`]: 'x',
    };
    await publish(store, strange);
    await expectSite(store, strange);
    await publish(store, { 'a.txt': { text: 'one', headers: { ...headers, 'Cache-Control': 'no-store' } } });
    await expectSite(store, {
      'a.txt': { text: 'one', headers: { ...headers, 'Cache-Control': 'no-store' } },
    });
  },
  'finds what there is, and nothing else': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, SITE);
    await withSnapshot(store, undefined, async (snapshot) => {
      for (const key of ['b.txt', 'folder', 'folder/', 'a', 'A.txt', '', 'constructor', 'x'.repeat(3000)])
        assert.equal(await snapshot.find(key), undefined, `find() must know no ${JSON.stringify(key)}`);
    });
  },
  'reads parts of small and large objects, both ends included': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, SITE);
    await withSnapshot(store, undefined, async (snapshot) => {
      const part = async (key: string, start: number, end: number): Promise<string> => {
        const object = await snapshot.find(key);
        assert.ok(object);
        return collect(snapshot.read(object, { start, end }));
      };
      assert.equal(await part('a.txt', 1, 2), 'ne');
      assert.equal(await part('a.txt', 0, 0), 'o');
      assert.equal(await part('large.txt', 0, 4), 'tide ');
      assert.equal(await part('large.txt', 599_995, 599_999), 'tide ');
      assert.equal(await part('large.txt', 1, 599_998), LARGE.slice(1, 599_999));
    });
  },
  'says since when each object is as it is': async (store) => {
    await store.create(BUCKET, 0);
    await publish(store, { 'a.txt': 'one', 'b.txt': 'two' }, { at: 1000 });
    await publish(store, { 'a.txt': 'one', 'b.txt': 'other' }, { at: 2000 });
    await withSnapshot(store, undefined, async (snapshot) =>
      assert.deepEqual(
        (await listObjects(snapshot)).map(({ key, since }) => [key, since]),
        [
          ['a.txt', 1000],
          ['b.txt', 2000],
        ],
      ),
    );
  },
  'holds what was published last, whatever came before': async (store, seed) => {
    const random = seeded(seed);
    const names = ['a', 'a/b', 'a.b', 'a-b', 'é', 'z', 'folder/deep/er.txt'];
    const texts = ['', '1', '22', '333', LARGE];
    await store.create(BUCKET, 0);
    for (let round = 0; round < 12; round++) {
      const site: Record<string, string> = {};
      for (const name of names)
        if (random() < 0.6) site[name] = texts[Math.floor(random() * texts.length)] ?? '';
      const record = await publish(store, site);
      assert.equal(record.release, round + 1, 'releases must be numbered one after the other');
      await expectSite(store, site);
    }
  },
};
