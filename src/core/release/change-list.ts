/** The change list: what publishing would do to a bucket. */
import { isDeepEqual } from './plain-data.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import { QUIRK_SETS } from '../hosting/quirks.js';
import { DigestSet } from '../site/digest-set.js';
import { compareKeys } from '../site/key.js';
import { siteObject, type ObjectHeaders, type SiteObject, type StoredObject } from '../site/site-object.js';

/** What happens to an object. What stays as it is is only counted, as `keep`. */
export type ChangeKind = 'add' | 'replace' | 'relabel' | 'remove';
export const CHANGE_KINDS: readonly ChangeKind[] = ['add', 'replace', 'relabel', 'remove'];

export interface ObjectState {
  readonly size: number;
  readonly digest: string;
  readonly headers: ObjectHeaders;
}

export interface Change {
  readonly key: string;
  readonly change: ChangeKind;
  readonly was?: ObjectState;
  readonly becomes?: ObjectState;
  /** For an `add` of bytes that another key, removed by the same list, had: that key. */
  readonly movedFrom?: string;
  /** The key under its plain name, where its own is versioned. */
  readonly plainKey?: string;
  /** Whether the object was waiting to be removed: it is due, or a release has it again. */
  readonly waited?: true;
  /** For a `replace`: since when the old bytes or headers were published, in milliseconds since the epoch. */
  readonly since?: number;
}

export interface SettingChange {
  readonly name: string;
  readonly was: unknown;
  readonly becomes: unknown;
}

const state = ({ size, digest, headers }: SiteObject): ObjectState => ({ size, digest, headers });

/** A change as documents show it: what it becomes is kept as the whole object, since a first release has very many. */
export const showChange = (change: Change): Change => {
  const { becomes } = change;
  return becomes && 'key' in becomes ? { ...change, becomes: state(becomes as SiteObject) } : change;
};

/** The object that a change puts; undefined where it removes one. */
export const objectToPut = ({ key, plainKey: plain, becomes }: Change): SiteObject | undefined =>
  becomes &&
  ('key' in becomes
    ? (becomes as SiteObject)
    : { key, ...becomes, ...(plain === undefined ? {} : { plain }) });

/** What publishing would do to the objects of a bucket. */
export interface ObjectComparison {
  /** What would change, in key order: no `keep`. */
  readonly entries: readonly Change[];
  readonly totals: ChangeTotals;
  /** How many objects the release holds, inside the part that is compared and outside. */
  readonly held: number;
  /** Objects that go on waiting to be removed, in key order. */
  readonly waiting: readonly StoredObject[];
}

/** Which objects are meant, of the site and of the bucket. */
export type Covers = (object: SiteObject, of: 'site' | 'bucket') => boolean;

/** Objects in key order, as they come. */
export type Ordered<T> = Iterable<T> | AsyncIterable<T>;

/**
 * Compares a site with a bucket, both in key order, as a merge of the two: what stays the same is counted and let go.
 * @param covers limits the comparison to some objects: others are neither changed nor counted; undefined to none
 * @param now what waits to be removed is due up to then: milliseconds since the epoch
 */
export async function compareObjects(
  site: Ordered<SiteObject>,
  bucket: Ordered<StoredObject>,
  covers: Covers | undefined,
  now: number,
): Promise<ObjectComparison> {
  const entries: Change[] = [];
  const waiting: StoredObject[] = [];
  const totals = { add: 0, replace: 0, relabel: 0, remove: 0, keep: 0, bytes: 0 };
  let due = 0;
  const note = (change: Change | undefined): void => {
    if (!change) return void totals.keep++;
    if (change.change === 'remove' && change.waited) due++;
    else totals[change.change]++;
    if ((change.change === 'add' || change.change === 'replace') && change.becomes)
      totals.bytes += change.becomes.size;
    entries.push(change);
  };
  const stored = iterate(bucket);
  let held = 0;
  try {
    let row = await stored.next();
    const takeRow = (object: StoredObject): void => {
      const { key, plain, waits, neededUntil = 0 } = object;
      const isCovered = !covers || covers(object, 'bucket');
      if (!waits) held++;
      if (waits && (neededUntil > now || !isCovered)) waiting.push(object);
      else if (isCovered)
        note({
          key,
          change: 'remove',
          ...(plain === undefined ? {} : { plainKey: plain }),
          was: state(object),
          ...(waits ? { waited: true } : {}),
        });
    };
    const removeUpTo = async (key: string | undefined): Promise<void> => {
      while (row.done !== true && (key === undefined || compareKeys(row.value.key, key) < 0)) {
        takeRow(row.value);
        row = await stored.next();
      }
    };
    for await (const object of site) {
      // Asked for without waiting where nothing is to be removed: it is asked for each object.
      if (row.done !== true && compareKeys(row.value.key, object.key) < 0) await removeUpTo(object.key);
      const match = row.done !== true && row.value.key === object.key ? row.value : undefined;
      // Of two releases, what waits in the later one is no part of it.
      if (isWaiting(object)) {
        if (match && !match.waits) takeRow(match);
      } else {
        if (!covers || covers(object, 'site')) note(compareOne(object, match));
        if (match && !match.waits) held++;
      }
      if (match) row = await stored.next();
    }
    await removeUpTo(undefined);
  } finally {
    await stored.return?.();
  }
  return { entries: findMoves(entries), totals: due === 0 ? totals : { ...totals, due }, held, waiting };
}

const isWaiting = (object: SiteObject): boolean => (object as Partial<StoredObject>).waits === true;

const iterate = <T>(items: Ordered<T>): Iterator<T> | AsyncIterator<T> =>
  Symbol.asyncIterator in items ? items[Symbol.asyncIterator]() : items[Symbol.iterator]();

/** Undefined where nothing would change. */
function compareOne(object: SiteObject, stored: StoredObject | undefined): Change | undefined {
  const becomes = siteObject(object);
  if (!stored && object.plain === undefined) return { key: object.key, change: 'add', becomes };
  const named = object.plain === undefined ? {} : { plainKey: object.plain };
  const { key } = object;
  if (!stored) return { key, change: 'add', ...named, becomes };
  if (stored.waits) return { key, change: 'add', ...named, becomes, waited: true };
  if (stored.digest !== object.digest)
    return { key, change: 'replace', ...named, was: state(stored), becomes, since: stored.since };
  if (!sameHeaders(stored.headers, object.headers) || stored.plain !== object.plain)
    return { key, change: 'relabel', ...named, was: state(stored), becomes };
  return undefined;
}

function sameHeaders(a: ObjectHeaders, b: ObjectHeaders): boolean {
  if (a === b) return true;
  const names = Object.keys(a);
  return names.length === Object.keys(b).length && names.every((name) => a[name] === b[name]);
}

/** Marks additions whose bytes a removed key had: the file was renamed. */
function findMoves(changes: Change[]): Change[] {
  const removed = new Map<string, string[]>();
  for (const { change, was, key } of changes) {
    if (change !== 'remove' || !was || was.size === 0) continue;
    const others = removed.get(was.digest);
    if (others) others.push(key);
    else removed.set(was.digest, [key]);
  }
  if (removed.size === 0) return changes;
  return changes.map((change) => {
    const from =
      change.change === 'add' && change.becomes ? removed.get(change.becomes.digest)?.shift() : undefined;
    return from === undefined ? change : { ...change, movedFrom: from };
  });
}

/** Every setting that differs, by its dotted name. */
export function compareSettings(was: BucketSettings | undefined, becomes: BucketSettings): SettingChange[] {
  const before = flatten(was);
  const after = flatten(becomes);
  const names = [...new Set([...Object.keys(before), ...Object.keys(after)])];
  return names
    .filter(
      (name) => !isDeepEqual(before[name], after[name]) && !(isNone(before[name]) && isNone(after[name])),
    )
    .map((name) => ({ name, was: before[name] ?? null, becomes: after[name] ?? null }));
}

const isNone = (value: unknown): boolean => value == null || (Array.isArray(value) && value.length === 0);

function flatten(settings: BucketSettings | undefined): Record<string, unknown> {
  if (!settings) return {};
  const flat: Record<string, unknown> = {
    'documents.index': settings.documents.index,
    'documents.error': settings.documents.error,
    'readable.keys': settings.readable?.keys ?? 'everything but names that look secret',
    'readable.except': settings.readable?.except ?? [],
    domains: settings.domains,
    ...(settings.movedHosts
      ? { movedHosts: settings.movedHosts.hosts, 'movedHosts.to': settings.movedHosts.to }
      : {}),
  };
  for (const kind of ['permanently', 'temporarily'] as const) {
    for (const [from, to] of Object.entries(settings.moved[kind])) flat[`moved.${kind} ${from}`] = to;
  }
  // A set is one thing to decide on.
  const set = Object.entries(QUIRK_SETS).find(
    ([, quirks]) => Object.keys(quirks).length > 0 && isDeepEqual(quirks, settings.quirks),
  );
  if (set) flat['quirks'] = set[0];
  else for (const [name, value] of Object.entries(settings.quirks)) flat[`quirks.${name}`] = value;
  if (settings.versioned) flat['versioned'] = true;
  if (settings.sites) flat['sites'] = settings.sites;
  const { sharing } = settings;
  if (sharing) {
    flat['sharedWith'] = sharing.origins;
    flat['sharedWith.expose'] = sharing.expose;
    flat['sharedWith.keptFor'] = sharing.keptFor === null ? null : `${sharing.keptFor} seconds`;
  }
  for (const { page, paths } of settings.apps ?? []) flat[`documents.app ${page}`] = paths;
  return flat;
}

export interface ChangeTotals {
  readonly add: number;
  readonly replace: number;
  readonly relabel: number;
  readonly remove: number;
  readonly keep: number;
  /** Objects that were waiting to be removed and are; absent in releases from before there were such. */
  readonly due?: number;
  /** Bytes of the objects that are added or replaced. */
  readonly bytes: number;
}

/** Bodies of which a store is asked at once: there may be very many. */
const ASKED_AT_ONCE = 50_000;

/** The digests of the bodies that a change list sends, of what is added or replaced, each once, with their sizes. @param seed as for `DigestSet` */
export function* digestsToSend(
  entries: readonly Change[],
  seed: number,
): Generator<ReadonlyMap<string, number>> {
  const seen = new DigestSet(seed, entries.length);
  let sizes = new Map<string, number>();
  for (const { change, becomes } of entries) {
    if (!becomes || becomes.size === 0 || (change !== 'add' && change !== 'replace')) continue;
    if (seen.add(becomes.digest)) sizes.set(becomes.digest, becomes.size);
    if (sizes.size < ASKED_AT_ONCE) continue;
    yield sizes;
    sizes = new Map();
  }
  if (sizes.size > 0) yield sizes;
}
