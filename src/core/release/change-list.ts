/** The change list: what publishing would do to a bucket. */
import { isDeepEqual } from './plain-data.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import { compareKeys } from '../site/key.js';
import type { ObjectHeaders, SiteObject, StoredObject } from '../site/site-object.js';

export type ChangeKind = 'add' | 'replace' | 'relabel' | 'remove' | 'keep';
export const CHANGE_KINDS: readonly ChangeKind[] = ['add', 'replace', 'relabel', 'remove', 'keep'];

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
}

export interface SettingChange {
  readonly name: string;
  readonly was: unknown;
  readonly becomes: unknown;
}

const state = ({ size, digest, headers }: SiteObject): ObjectState => ({ size, digest, headers });

/**
 * Compares a site with a bucket, both in key order.
 * @param covers limits the list to some keys: others are neither changed nor listed
 * @returns every key once, `keep` included, in key order
 */
export function compareObjects(
  site: readonly SiteObject[],
  bucket: Iterable<StoredObject>,
  covers: (key: string) => boolean = () => true,
): Change[] {
  const changes: Change[] = [];
  const stored = bucket[Symbol.iterator]();
  let row = stored.next();
  const removeUpTo = (key: string | undefined): void => {
    while (row.done !== true && (key === undefined || compareKeys(row.value.key, key) < 0)) {
      if (covers(row.value.key))
        changes.push({ key: row.value.key, change: 'remove', was: state(row.value) });
      row = stored.next();
    }
  };
  for (const object of site) {
    removeUpTo(object.key);
    const match = row.done !== true && row.value.key === object.key ? row.value : undefined;
    if (match) row = stored.next();
    if (covers(object.key)) changes.push(compareOne(object, match));
  }
  removeUpTo(undefined);
  return findMoves(changes);
}

function compareOne(object: SiteObject, stored: StoredObject | undefined): Change {
  const becomes = state(object);
  if (!stored) return { key: object.key, change: 'add', becomes };
  if (stored.digest !== object.digest)
    return { key: object.key, change: 'replace', was: state(stored), becomes };
  if (!sameHeaders(stored.headers, object.headers))
    return { key: object.key, change: 'relabel', was: state(stored), becomes };
  return { key: object.key, change: 'keep' };
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
  };
  for (const kind of ['permanently', 'temporarily'] as const) {
    for (const [from, to] of Object.entries(settings.moved[kind])) flat[`moved.${kind} ${from}`] = to;
  }
  for (const [name, value] of Object.entries(settings.quirks)) flat[`quirks.${name}`] = value;
  return flat;
}

export interface ChangeTotals {
  readonly add: number;
  readonly replace: number;
  readonly relabel: number;
  readonly remove: number;
  readonly keep: number;
  /** Bytes of the objects that are added or replaced. */
  readonly bytes: number;
}

export function countChanges(changes: readonly Change[]): ChangeTotals {
  const totals = { add: 0, replace: 0, relabel: 0, remove: 0, keep: 0, bytes: 0 };
  for (const { change, becomes } of changes) {
    totals[change]++;
    if ((change === 'add' || change === 'replace') && becomes) totals.bytes += becomes.size;
  }
  return totals;
}

/** Bytes of the bodies that are not there yet, each counted once. @param has whether a body is there */
export function countToSend(
  objects: Iterable<Pick<SiteObject, 'digest' | 'size'>>,
  has: (digest: string) => boolean = () => false,
): number {
  const sent = new Set<string>();
  let bytes = 0;
  for (const { digest, size } of objects) {
    if (size === 0 || sent.has(digest) || has(digest)) continue;
    sent.add(digest);
    bytes += size;
  }
  return bytes;
}
