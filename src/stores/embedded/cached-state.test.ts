import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS } from '../../core/hosting/bucket-view.js';
import { EmbeddedStore } from './embedded-store.js';
import type { BucketState } from '../port.js';
import { readAtAGlance } from './cached-state.js';

let root: string;
let store: EmbeddedStore;
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'fenestra-glance-'));
  store = EmbeddedStore.open(root);
});
afterEach(async () => {
  await store.close();
  rmSync(root, { recursive: true });
});

const glanceAt = (bucket: string): BucketState | undefined =>
  readAtAGlance(root)?.buckets.find(({ name }) => name === bucket);

const publish = async (note: string): Promise<void> => {
  const publication = await store.begin('mill', {
    base: 0,
    by: 'test',
    note,
    totals: { add: 0, replace: 0, relabel: 0, remove: 0, keep: 0, bytes: 0 },
    settings: NEW_BUCKET_SETTINGS,
    put: [],
    remove: [],
    identity: 'this site',
  });
  await publication.commit(1);
  await publication.abandon();
};

it('shows a bucket as the store does, until anything is committed', async () => {
  const commits: (() => unknown)[] = [
    () => store.create('mill', 1),
    () => publish('first'),
    () => store.changeAccess('mill', 'open'),
    () => store.create('other', 2),
    () => store.remove('other'),
  ];
  for (const commit of commits) {
    await commit();
    expect(glanceAt('mill')).toBeUndefined();
    store.keepGlance();
    expect(glanceAt('mill')).toEqual(await store.bucket('mill'));
    expect(readAtAGlance(root)?.buckets).toEqual(await store.buckets());
    expect(readAtAGlance(root)?.releases.get('mill')).toEqual(await store.releases('mill'));
    expect(glanceAt('mill')).toMatchObject({ name: 'mill' });
    expect(glanceAt('nothing')).toBeUndefined();
  }
  // Opening, looking and keeping commit nothing.
  const again = EmbeddedStore.open(root);
  expect(await again.buckets()).toHaveLength(1);
  await again.close();
  store.keepGlance();
  expect(glanceAt('mill')).toMatchObject({ access: 'open', release: 1, identity: 'this site' });
});

it('keeps the releases of a few buckets, and no more of them than are read at once', async () => {
  for (let n = 0; n < 3; n++) await store.create(`mill-${n}`, 1);
  await store.create('mill', 1);
  await publish('a note '.repeat(3000));
  store.keepGlance();
  expect(readAtAGlance(root)?.releases.get('mill')?.[0]?.note).toHaveLength(21_000);
  await store.remove('mill');
  await store.create('mill', 1);
  await publish('a note '.repeat(6000));
  store.keepGlance();
  const { buckets, releases } = readAtAGlance(root) ?? {};
  expect(buckets).toHaveLength(4);
  expect([...(releases?.keys() ?? [])]).toEqual(['mill-0', 'mill-1', 'mill-2']);
});

it('is not believed when it was changed or cut short, and leaves nothing behind', async () => {
  await store.create('mill', 1);
  store.keepGlance();
  const path = join(root, 'glance.json');
  const text = readFileSync(path, 'utf8');
  for (const harmed of ['', '{}', 'null', text.slice(0, -9), text.replace('closed', 'open')]) {
    writeFileSync(path, harmed);
    expect(glanceAt('mill')).toBeUndefined();
  }
  writeFileSync(path, text);
  expect(glanceAt('mill')).toMatchObject({ access: 'closed' });
  await store.remove('mill');
  expect(existsSync(path)).toBe(false);
});
