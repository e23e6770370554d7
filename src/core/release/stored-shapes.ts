/** Whether what was read from a store has the shape of what Fenestra once wrote there: anybody may have written it. */
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { StoredObject } from '../site/site-object.js';
import type { ReleaseRecord } from './release.js';

type Loose<T> = { readonly [K in keyof T]?: unknown };

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const isText = (value: unknown): value is string => typeof value === 'string';
const isTexts = (value: unknown): boolean => Array.isArray(value) && value.every(isText);
const isTextByName = (value: unknown): boolean => isObject(value) && Object.values(value).every(isText);
/** A whole number from 0 that is exact. */
const isCount = (value: unknown): boolean => Number.isSafeInteger(value) && (value as number) >= 0;
const isOptional = (value: unknown, is: (value: unknown) => boolean): boolean =>
  value === undefined || is(value);

const isApp = (value: unknown): boolean =>
  isObject(value) && isText(value['page']) && isTexts(value['paths']);

const isSharing = (value: unknown): boolean =>
  isObject(value) &&
  (value['origins'] === 'everyone' || isTexts(value['origins'])) &&
  isTexts(value['expose']) &&
  (value['keptFor'] === null || isCount(value['keptFor']));

export function isSettings(value: unknown): value is BucketSettings {
  if (!isObject(value)) return false;
  const { documents, readable, moved, domains, quirks, movedHosts, sites, apps, sharing } =
    value as Loose<BucketSettings>;
  return (
    isObject(documents) &&
    isText(documents['index']) &&
    (documents['error'] === null || isText(documents['error'])) &&
    (readable === null || (isObject(readable) && isTexts(readable['keys']) && isTexts(readable['except']))) &&
    isObject(moved) &&
    isTextByName(moved['permanently']) &&
    isTextByName(moved['temporarily']) &&
    isTexts(domains) &&
    isObject(quirks) &&
    isOptional(movedHosts, (hosts) => isObject(hosts) && isTexts(hosts['hosts']) && isText(hosts['to'])) &&
    isOptional(sites, isTexts) &&
    isOptional(apps, (list) => Array.isArray(list) && list.every(isApp)) &&
    isOptional(sharing, isSharing)
  );
}

export function isReleaseRecord(value: unknown): value is ReleaseRecord {
  if (!isObject(value)) return false;
  const { release, at, by, folder, note, totals, settings, restores } = value as Loose<ReleaseRecord>;
  return (
    isCount(release) &&
    isCount(at) &&
    isText(by) &&
    isText(note) &&
    isObject(totals) &&
    Object.values(totals).every(isCount) &&
    isSettings(settings) &&
    isOptional(folder, isText) &&
    isOptional(restores, isCount)
  );
}

export function isStoredObject(value: unknown): value is StoredObject {
  if (!isObject(value)) return false;
  const { key, size, digest, headers, since, plain, neededUntil } = value as Loose<StoredObject>;
  return (
    isText(key) &&
    key !== '' &&
    isCount(size) &&
    isText(digest) &&
    isTextByName(headers) &&
    isOptional(since, isCount) &&
    isOptional(plain, isText) &&
    isOptional(neededUntil, (until) => typeof until === 'number')
  );
}
