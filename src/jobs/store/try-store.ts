/** What a store can do, tried in a bucket of its own that is removed again. */
import { randomBytes } from 'node:crypto';
import { compareObjects } from '../../core/release/change-list.js';
import { planRows, type ReleaseRecord } from '../../core/release/release.js';
import { objectsOf, sourceOf, type Site } from '../../stores/contract/kit.js';
import type { Store } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import { tryAnswers } from './try-answers.js';
import { LABELS, SETTINGS, SITE } from './tried-site.js';
import type { Note, TriedRow, TriedStore } from './tried-store.js';

/**
 * @param address of the bucket, with BUCKET for its name, where the store does not say it itself
 * @throws FenestraError whatever stops it before anything could be tried
 */
export async function tryStore(
  store: Store,
  address: string | undefined,
  progress: Progress,
): Promise<TriedStore> {
  const bucket = `fenestra-try-${randomBytes(4).toString('hex')}`;
  const rows: TriedRow[] = [];
  const note = (what: string, can: boolean | undefined, means: string): void =>
    void rows.push({ what, can, means });
  progress.step('look');
  await store.create(bucket, Date.now());
  note('sign in, and make a bucket', true, 'it can be published to');
  try {
    await tryReleases(store, bucket, note);
    await noteBodies(store, bucket, note);
    const at = store.address
      ? (address?.replaceAll('BUCKET', bucket) ?? (await store.address(bucket)))
      : undefined;
    const answersAs =
      at === undefined ? [] : await tryAnswers({ store, bucket, at: new URL(at) }, note, progress);
    return { bucket, address: at, rows, answersAs };
  } finally {
    await store.remove(bucket);
  }
}

async function tryReleases(store: Store, bucket: string, note: Note): Promise<void> {
  const { instant, history, policyByKey, moved = true, staging } = store.guarantees;
  await publishTo(store, bucket, SITE);
  await tryListing(store, bucket, note);
  await publishTo(store, bucket, { ...SITE, 'data/all.bin': { text: 'y'.repeat(20_000), headers: LABELS } });
  const kept = history && ((await store.releases?.(bucket)) ?? []).length === 2;
  note('keep earlier releases', kept, kept ? '`restore` takes one back' : 'nothing can be taken back');
  note(
    'make a release at one instant',
    instant,
    instant ? 'no visitor meets old beside new' : 'visitors may meet new objects beside old ones for a while',
  );
  note('be proved before it counts', staging, staging ? '`publish --prove` works' : '`--prove` is refused');
  note(
    'keep single keys from the public',
    policyByKey,
    policyByKey
      ? '`readable` holds by key'
      : '`private: leave-out` or `beside` says what becomes of such keys',
  );
  note(
    'send visitors on from moved addresses',
    moved,
    moved ? '`moved` is answered by redirects' : '`moved: pages` publishes small pages instead',
  );
}

async function noteBodies(store: Store, bucket: string, note: Note): Promise<void> {
  const bodies = await store.tryBodies?.(bucket);
  if (!bodies) return;
  const { checksSums, copies, segments, folderKeys } = bodies;
  note(
    'refuse a body that was changed on its way',
    checksSums,
    checksSums ? 'what arrives is what was sent' : 'run `check --all` after each publish',
  );
  note(
    'copy inside itself',
    copies,
    copies
      ? 'what it has is never sent again'
      : '`restore` and new headers cannot work: do not publish to it',
  );
  note(
    'join a file from segments',
    segments,
    segments ? 'files of any size can be published' : 'files above 5 GB, or what its limit is, are refused',
  );
  note(
    'take a key that ends with a slash',
    folderKeys,
    folderKeys ? '`folders: pages` works' : '`folders: pages` is refused',
  );
}

async function tryListing(store: Store, bucket: string, note: Note): Promise<void> {
  const snapshot = await store.open(bucket);
  try {
    if (!snapshot.foreign) return;
    const foreign = await snapshot.foreign({ most: Infinity, unchanged: true });
    const lost = foreign.filter(({ change }) => change === 'relabelled').map(({ key }) => key);
    note(
      'list at once what was written',
      !foreign.some(({ change }) => change === 'removed' || change === 'added'),
      'each publish compares itself with the listing',
    );
    note(
      'keep every header that is published',
      lost.length === 0,
      lost.length === 0
        ? 'types and caching arrive as the config says'
        : `other ones came back for ${lost.join(', ')}`,
    );
    const drift = (await snapshot.settingsDrift?.()) ?? [];
    note(
      'keep its own settings',
      drift.length === 0,
      drift.length === 0
        ? 'documents and sharing are set'
        : `others came back: ${drift.map(({ what }) => what).join(', ')}`,
    );
  } finally {
    await snapshot.close();
  }
}

async function publishTo(store: Store, bucket: string, site: Site): Promise<ReleaseRecord> {
  const objects = objectsOf(site);
  const snapshot = await store.open(bucket);
  const { release: base, created, access } = snapshot.state;
  const { entries, totals } = await compareObjects(objects, snapshot.objects(), undefined, Date.now());
  await snapshot.close();
  const publication = await store.begin(bucket, {
    ...{ base, bucket: { created, access }, by: 'store check', note: 'Tried', totals, settings: SETTINGS },
    ...planRows(entries),
  });
  try {
    for (const object of objects) {
      const given = site[object.key] ?? '';
      if (entries.some(({ key, change }) => key === object.key && change !== 'relabel'))
        await publication.put(sourceOf(object, typeof given === 'string' ? given : given.text));
    }
    await publication.settle();
    return await publication.commit(Date.now());
  } finally {
    await publication.abandon();
  }
}
