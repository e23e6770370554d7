/** Who may read what once a release is published that could not be read before, and the other way round. */
import { createReadPolicy, type ReadPolicy, type ReadableSetting } from '../../core/access/read-policy.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { Change } from '../../core/release/change-list.js';
import { privateBucket } from '../../core/release/store-limits.js';
import { isDeepEqual } from '../../core/release/plain-data.js';
import { isPageAsset } from '../../core/release/guards.js';
import { plainKey } from '../../core/site/site-object.js';
import type { Snapshot, Store } from '../../stores/port.js';

export interface ReaderChanges {
  /** Keys that anyone will read, and nobody could when they were last published. */
  readonly opened: readonly string[];
  /** Keys that stay in the bucket and that nobody will read any more. */
  readonly closed: readonly string[];
  /** Those of them that are pages, or of a kind that pages load. */
  readonly closedPages: readonly string[];
  /** The index document, where visitors get it now and will not. */
  readonly lostIndex: string | undefined;
}

export const NO_READER_CHANGES: ReaderChanges = {
  opened: [],
  closed: [],
  closedPages: [],
  lostIndex: undefined,
};

interface Publishing {
  readonly store: Store;
  /** The bucket as it lies there. */
  readonly snapshot: Snapshot;
  readonly entries: readonly Change[];
  readonly becomes: BucketSettings;
  /** Keys that nobody may read, of a store that could not keep them from the public. */
  readonly withheld?: readonly string[];
  /** The folder of the bucket that the site lies in. */
  readonly under?: string | undefined;
}

/** Nothing of a bucket that is closed: opening it asks for its name. */
export async function listReaderChanges(publishing: Publishing): Promise<ReaderChanges> {
  const { snapshot, entries, becomes } = publishing;
  const { access, settings, release } = snapshot.state;
  if (access !== 'open' || release === 0) return NO_READER_CHANGES;
  const after = createReadPolicy(becomes);
  const added = entries.filter(({ change }) => change === 'add').map((entry) => entry.plainKey ?? entry.key);
  const readable = added.filter((key) => after.isReadable(key));
  const changed = isDeepEqual(settings.readable, becomes.readable)
    ? { opened: [], closed: [], closedPages: [] }
    : await compareReaders(publishing, after, readable);
  const opened = new Set([...changed.opened, ...(await listUnveiled(publishing, readable))]);
  return { ...changed, opened: [...opened], lostIndex: await findLostIndex(publishing, after) };
}

/** What the policy before and after say of all that is there, and of what comes. */
async function compareReaders(
  { snapshot, entries, withheld = [] }: Publishing,
  after: ReadPolicy,
  added: readonly string[],
): Promise<Omit<ReaderChanges, 'lostIndex'>> {
  const before = createReadPolicy(snapshot.state.settings);
  const kept = new Set(withheld);
  const removed = new Set(
    entries.filter(({ key, change }) => change === 'remove' && !kept.has(key)).map(({ key }) => key),
  );
  const opened = added.filter((key) => !before.isReadable(key));
  const closed: string[] = [];
  const closedPages: string[] = [];
  for await (const object of snapshot.objects()) {
    const key = plainKey(object);
    const [was, becomes] = [before.isReadable(key), after.isReadable(key)];
    if (was === becomes || removed.has(object.key)) continue;
    if (becomes) opened.push(key);
    else closed.push(key);
    if (was && isPageAsset(object.headers['Content-Type'] ?? '')) closedPages.push(key);
  }
  return { opened, closed, closedPages };
}

/** A release that may have held a key before. */
interface Past {
  readonly bucket: string;
  readonly release: number;
  readonly at: number;
  readonly readable: ReadableSetting | 'nothing';
  isReadable(key: string): boolean;
}

/** Keys that come back, and that nobody could read in the newest release that had them. */
async function listUnveiled(
  { store, snapshot, becomes }: Publishing,
  added: readonly string[],
): Promise<string[]> {
  if (added.length === 0 || !store.guarantees.history) return [];
  const { name } = snapshot.state;
  const past = [
    ...(await listPast(store, name, ({ readable }) => readable)),
    ...(store.guarantees.policyByKey
      ? []
      : await listPast(store, privateBucket(name), () => 'nothing' as const)),
  ].sort((a, b) => b.at - a.at);
  const barring = past.filter(
    ({ readable }) => readable === 'nothing' || !isDeepEqual(readable, becomes.readable),
  );
  if (barring.length === 0) return [];
  /** Keys that some release kept from the public, if it had them. */
  let open = new Set(added.filter((key) => barring.some(({ isReadable }) => !isReadable(key))));
  const unveiled: string[] = [];
  for (const { bucket, release, isReadable } of past) {
    if (open.size === 0) break;
    const then = await store.open(bucket, release);
    try {
      const met = await listHeld(then, open);
      unveiled.push(...met.filter((key) => !isReadable(key)));
      open = new Set([...open].filter((key) => !met.includes(key)));
    } finally {
      await then.close();
    }
  }
  return unveiled;
}

async function listPast(
  store: Store,
  bucket: string,
  readableOf: (settings: BucketSettings) => Past['readable'],
): Promise<Past[]> {
  if (!(await store.bucket(bucket))) return [];
  const records = (await store.releases?.(bucket)) ?? [];
  return records.map(({ release, at, settings }) => {
    const readable = readableOf(settings);
    const policy = readable === 'nothing' ? undefined : createReadPolicy({ ...settings, readable });
    return { bucket, release, at, readable, isReadable: (key) => policy?.isReadable(key) === true };
  });
}

/** Which plain keys a release has, under whatever name. */
async function listHeld(then: Snapshot, keys: ReadonlySet<string>): Promise<string[]> {
  if (then.state.settings.versioned) {
    const held = new Set<string>();
    for await (const object of then.objects()) if (keys.has(plainKey(object))) held.add(plainKey(object));
    return [...held];
  }
  const held: string[] = [];
  for (const key of keys) if (await then.find(key)) held.push(key);
  return held;
}

/** Whether the index document at the root answers now, and will be gone. */
async function findLostIndex(
  { snapshot, entries, becomes, under = '' }: Publishing,
  after: ReadPolicy,
): Promise<string | undefined> {
  const { documents, readable } = snapshot.state.settings;
  const [index, next] = [under + documents.index, under + becomes.documents.index];
  const change = entries.find(({ key }) => key === next)?.change;
  if (index === next && change !== 'remove' && isDeepEqual(readable, becomes.readable)) return undefined;
  if (!createReadPolicy({ documents, readable }).isReadable(index) || !(await snapshot.find(index)))
    return undefined;
  const isThere = change === undefined ? (await snapshot.find(next)) !== undefined : change !== 'remove';
  return isThere && after.isReadable(next) ? undefined : index;
}
