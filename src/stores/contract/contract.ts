/**
 * What every store has to do, as cases for any test runner. They are written against the port alone and find stores
 * that cheat: that announce a release which is not whole, lose a header, forget a body, or list out of order.
 */
import assert from 'node:assert/strict';
import { NEW_BUCKET_SETTINGS } from '../../core/hosting/bucket-view.js';
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
  seeded,
  sourceOf,
  withSnapshot,
  type ContractCase,
  type ContractOptions,
  type Site,
} from './kit.js';

export type { ContractCase, ContractOptions } from './kit.js';

/** Above any limit below which a store may treat bodies otherwise. */
const LARGE = 'tide '.repeat(120_000);

const SITE: Site = {
  'a.txt': 'one',
  'folder/b.txt': 'two',
  'folder.txt': 'three',
  'same.txt': 'one',
  'large.txt': LARGE,
  'empty.txt': '',
};

type Work = (store: Store, seed: number) => Promise<void>;

const BUCKETS: Readonly<Record<string, Work>> = {
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

const OBJECTS: Readonly<Record<string, Work>> = {
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

const RELEASES: Readonly<Record<string, Work>> = {
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
};

const INSTANT: Readonly<Record<string, Work>> = {
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

const HISTORY: Readonly<Record<string, Work>> = {
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
    await store.keepReleases(BUCKET, 2);
    assert.deepEqual(await kept(), [5, 4]);
    await expectSite(store, {}, 4);
    await expectSite(store, sites[4] ?? {}, 5);
    await expectError(store.open(BUCKET, 2), 'RELEASE_UNKNOWN', 'opening a release that was forgotten');
  },
};

const STAGING: Readonly<Record<string, Work>> = {
  'lets a publication be read before it counts': async (store) => {
    await store.create(BUCKET, 0);
    const site: Site = { 'a.txt': 'one', 'b.txt': LARGE };
    const publication = await store.begin(BUCKET, await planFor(store, site));
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
const HONEST: Readonly<Record<string, Work>> = {
  'has the members that its guarantees call for, and no others': async (store) => {
    const { history, staging } = store.guarantees;
    assert.equal(store.releases !== undefined, history, 'releases() goes with the guarantee of a history');
    assert.equal(store.keepReleases !== undefined, history, 'keepReleases() goes with it too');
    await store.create(BUCKET, 0);
    const publication = await store.begin(BUCKET, await planFor(store, {}));
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

/**
 * The cases that a store has to pass, by what it guarantees.
 * @param make makes a new, empty store each time; the cases close it
 */
export async function storeContract(
  make: () => Store | Promise<Store>,
  { seed = 1 }: ContractOptions = {},
): Promise<ContractCase[]> {
  const asked = await make();
  const { instant, history, staging } = asked.guarantees;
  await asked.close();
  const works = {
    ...BUCKETS,
    ...OBJECTS,
    ...RELEASES,
    ...HONEST,
    ...(instant ? INSTANT : {}),
    ...(history ? HISTORY : {}),
    ...(staging ? STAGING : {}),
  };
  return Object.entries(works).map(([name, work]) => ({
    name,
    async run() {
      const store = await make();
      try {
        await work(store, seed);
      } finally {
        await store.close();
      }
    },
  }));
}
