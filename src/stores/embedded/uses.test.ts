import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { chance, SEED } from '../../../test/helpers/chance.js';
import { expectSnapshot, objectOf, planFor, publish, sourceOf, type Site } from '../contract/kit.js';
import { noteDamage } from './damage.js';
import { EmbeddedStore } from './embedded-store.js';
import { PLACE_CODEC } from './rows.js';
import { sweepBodies } from './sweep.js';
import { NOTE } from './table-names.js';
import { countUses, leavePack } from './uses.js';

const folder = mkdtempSync(join(tmpdir(), 'fenestra-uses-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const BUCKETS = ['rehearsal-mill', 'live-mill'];

/** What is used how often, and where it lies, by going through all rows. */
function goThrough({ rows }: EmbeddedStore) {
  const uses: Record<string, number> = {};
  for (const table of [rows.current, rows.undo])
    for (const { value } of table.list())
      if (value && value.size > 0) uses[value.digest] = (uses[value.digest] ?? 0) + 1;
  const live: Record<string, number> = {};
  const counted: Record<string, number> = {};
  for (const { key, value } of rows.bodies.list()) {
    counted[key] = value.uses;
    if (value.pack !== undefined) live[value.pack] = (live[value.pack] ?? 0) + value.length;
  }
  return { uses, counted, live };
}

const listLive = ({ rows }: EmbeddedStore): Record<string, number> =>
  Object.fromEntries([...rows.live.list()].map(({ key, value }) => [key, value]));

const inUse = (counted: Record<string, number>): Record<string, number> =>
  Object.fromEntries(Object.entries(counted).filter(([, uses]) => uses > 0));

it(`counts of uses are those of the rows, whatever comes and goes (FENESTRA_SEED=${SEED})`, async () => {
  for (let round = 0; round < 12; round++) {
    const next = chance(`uses ${round}`);
    const below = (most: number): number => Math.floor(next() * most);
    const store = EmbeddedStore.open(join(folder, `store-${round}`));
    const states = new Map<string, Map<number, Site>>();
    const text = (): string =>
      ['', 'tide ', 'quay ', 'mill '][below(4)]?.repeat(1 + below(3) * below(9000)) ?? '';
    const makeSite = (): Site =>
      Object.fromEntries(Array.from({ length: 1 + below(6) }, () => [`${below(8)}.txt`, text()]));
    for (let step = 0; step < 14; step++) {
      const bucket = BUCKETS[below(2)] ?? '';
      const state = await store.bucket(bucket);
      const kept = states.get(bucket) ?? new Map<number, Site>();
      const what = state ? below(8) : 0;
      if (!state) await store.create(bucket, 1);
      if (what < 4) {
        const site = makeSite();
        const current = Object.keys(kept.get(state?.release ?? 0) ?? {});
        const needed = current.filter((key) => key in site && next() < 0.4);
        const options = { bucket, needed: Object.fromEntries(needed.map((key) => [key, 9e15])) };
        const { release } = await publish(store, site, options);
        states.set(bucket, kept.set(release, site));
      } else if (what === 4) {
        const keep = 1 + below(3);
        await store.keepReleases(bucket, keep);
        for (const release of kept.keys()) if (release <= (state?.release ?? 0) - keep) kept.delete(release);
      } else if (what === 5) {
        // One that never comes to its release.
        const site = makeSite();
        const plan = await planFor(store, site, { bucket });
        const publication = await store.begin(bucket, plan);
        for (const object of plan.put) await publication.put(sourceOf(object, site[object.key] as string));
        if (next() < 0.7) await publication.settle();
        await publication.abandon();
      } else if (what === 6) {
        await store.remove(bucket);
        states.delete(bucket);
      } else sweepBodies(store.layout, store.rows, Date.now() + 1e6, { worthKeeping: next() });
      const { uses, counted, live } = goThrough(store);
      // One that has ended half-way is counted as if it had not, until somebody sweeps.
      if (store.rows.publishing.count() === 0)
        expect(inUse(counted), `step ${step} of ${round}`).toEqual(uses);
      expect(counted, `step ${step} of ${round}`).toMatchObject(
        Object.fromEntries(Object.keys(uses).map((digest) => [digest, expect.any(Number)])),
      );
      for (const [digest, least] of Object.entries(uses))
        expect(counted[digest]).toBeGreaterThanOrEqual(least);
      expect(listLive(store), `step ${step} of ${round}`).toEqual(live);
    }
    for (const [bucket, kept] of states)
      for (const [release, site] of kept) {
        const snapshot = await store.open(bucket, release);
        await expectSnapshot(snapshot, site);
        await snapshot.close();
      }
    sweepBodies(store.layout, store.rows, Date.now() + 1e6, { grace: 0, worthKeeping: 1 });
    const { uses, counted, live } = goThrough(store);
    expect(counted).toEqual(uses);
    expect(readdirSync(store.layout.packs).sort()).toEqual(Object.keys(live).sort());
    await store.close();
  }
}, 120_000);

it('a store of the format before is counted once, also where its marker is gone', async () => {
  const root = join(folder, 'second-format');
  const store = EmbeddedStore.open(root);
  for (const bucket of BUCKETS) {
    await store.create(bucket, 1);
    await publish(store, { 'a.txt': 'one', 'b.txt': 'both' }, { bucket });
    await publish(store, { 'a.txt': `two of ${bucket}`, 'b.txt': 'both' }, { bucket });
  }
  const before = [goThrough(store), listLive(store)];
  store.rows.root.transactionSync(() => {
    const { bodies, live, packed, note } = store.rows;
    for (const { key, value } of [...bodies.list()])
      bodies.put(key, PLACE_CODEC.unpack((PLACE_CODEC.pack(value) as unknown[]).slice(0, 3)));
    for (const key of [...live.keys()]) live.remove(key);
    for (const key of [...packed.keys()]) packed.remove(key);
    const { id = '', latest = 0 } = note.get(NOTE) ?? {};
    note.put(NOTE, { id, latest });
  });
  expect(goThrough(store).counted).not.toEqual(goThrough(store).uses);
  const { id } = store.rows.note.get(NOTE) ?? {};
  await store.close();
  rmSync(store.layout.cachedState, { force: true });
  for (const marker of [`{"format":2,"id":"${id}"}\n`, undefined]) {
    if (marker === undefined) rmSync(store.layout.marker);
    else writeFileSync(store.layout.marker, marker);
    const again = EmbeddedStore.open(root);
    expect([goThrough(again), listLive(again)]).toEqual(before);
    await again.keepReleases(BUCKETS[0] ?? '', 1);
    // The other bucket still leads back to it.
    const snapshot = await again.open(BUCKETS[1] ?? '', 1);
    await expectSnapshot(snapshot, { 'a.txt': 'one', 'b.txt': 'both' });
    await snapshot.close();
    before[0] = goThrough(again);
    countUses(again.rows);
    expect(goThrough(again)).toEqual(before[0]);
    before[1] = listLive(again);
    await again.close();
  }
}, 60_000);

it('a body whose entry is gone is counted for all that use it once it was sent again', async () => {
  const store = EmbeddedStore.open(join(folder, 'healed'));
  const site: Site = { 'a.txt': 'both', 'b.txt': 'both', 'c.txt': 'alone' };
  for (const bucket of BUCKETS) {
    await store.create(bucket, 1);
    await publish(store, site, { bucket });
  }
  const lost = objectOf('a.txt', 'both');
  store.rows.root.transactionSync(() => {
    const place = store.rows.bodies.get(lost.digest);
    if (place?.pack !== undefined) leavePack(store.rows, place.pack, place.length);
    store.rows.bodies.remove(lost.digest);
  });
  noteDamage(store.rows, lost.digest);
  // Sent with a release that has no use for it of its own.
  const bucket = BUCKETS[0] ?? '';
  const next = { ...site, 'd.txt': 'new' };
  const publication = await store.begin(bucket, await planFor(store, next, { bucket }));
  await publication.put(sourceOf(lost, 'both'));
  await publication.put(sourceOf(objectOf('d.txt', 'new'), 'new'));
  await publication.commit(Date.now());
  await publication.abandon();
  await publish(store, { 'd.txt': 'new' }, { bucket });
  await store.keepReleases(bucket, 1);
  const { uses, counted } = goThrough(store);
  expect([counted, [...(await store.damaged())]]).toEqual([uses, []]);
  const snapshot = await store.open(BUCKETS[1] ?? '');
  await expectSnapshot(snapshot, site);
  await snapshot.close();
  await store.close();
});
