/** A change list as people agree on it: kept whole in a file, or known by a short code. */
import type { Access } from '../hosting/bucket-view.js';
import { countOf } from '../words/counts.js';
import type { Change, SettingChange } from './change-list.js';
import { isDeepEqual } from './plain-data.js';

export interface ListOfChanges {
  /** Says what the document is, and in which version of its form. */
  readonly changeList: 1;
  readonly code: string;
  readonly store: string;
  readonly bucket: string;
  /** The release that the changes start from; 0 for a bucket that is yet to be made. */
  readonly base: number;
  /** Whether the bucket was open then: what becomes readable by being published is to be agreed on. */
  readonly access: Access;
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
}

/** Differences that a refusal names. */
const NAMED = 6;

/** Letters and digits that nobody mistakes for one another. */
const DIGITS = '0123456789abcdefghjkmnpqrstvwxyz';
const CODE = /^(.+)-([0-9a-z]{4})-([0-9a-z]{4})$/i;

/** `mill-7f3k-2q9d`. @param bytes at least eight, of a digest of the whole list */
export function formatCode(bucket: string, bytes: Uint8Array): string {
  const digits = [...bytes.subarray(0, 8)].map((byte) => DIGITS[byte & 31]).join('');
  return `${bucket}-${digits.slice(0, 4)}-${digits.slice(4)}`;
}

/** Reads a code as people write it down: in capitals, with an O for a zero. @returns undefined where it is none */
export function readCode(text: string): { readonly bucket: string; readonly code: string } | undefined {
  const [, bucket, ...parts] = CODE.exec(text.trim()) ?? [];
  if (bucket === undefined || parts.length !== 2) return undefined;
  const digits = parts.map((part) => part.toLowerCase().replace(/o/g, '0').replace(/[il]/g, '1'));
  return { bucket: bucket.toLowerCase(), code: [bucket.toLowerCase(), ...digits].join('-') };
}

/** Everything that is other than it was agreed on; undefined when nothing is. */
export function describeDrift(agreed: ListOfChanges, now: ListOfChanges): string | undefined {
  if (agreed.store !== now.store) return `it was for the store ${agreed.store}, this is ${now.store}`;
  if (agreed.bucket !== now.bucket) return `it was for bucket ${agreed.bucket}, this is ${now.bucket}`;
  const drift: string[] = [];
  if (agreed.base !== now.base) drift.push(`the bucket was at release ${agreed.base} and is at ${now.base}`);
  if (agreed.access === 'closed' && now.access === 'open')
    drift.push('the bucket was closed and is open now');
  if (!isDeepEqual(agreed.settings, now.settings)) drift.push('the settings would be changed otherwise');
  const was = new Map(agreed.changes.map((change) => [change.key, change]));
  const is = new Map(now.changes.map((change) => [change.key, change]));
  for (const [key, change] of is)
    if (!isDeepEqual(was.get(key), change))
      drift.push(was.has(key) ? `${key} would be changed otherwise` : `${key} would be changed too`);
  for (const key of was.keys()) if (!is.has(key)) drift.push(`${key} would not be changed any more`);
  if (drift.length === 0) return undefined;
  const more = drift.length > NAMED ? `; and ${countOf(drift.length - NAMED, 'more difference')}` : '';
  return drift.slice(0, NAMED).join('; ') + more;
}

/** Whether a document is such a list. */
export function isListOfChanges(document: unknown): document is ListOfChanges {
  const given = document as Partial<ListOfChanges> | null;
  return (
    typeof given === 'object' &&
    given?.changeList === 1 &&
    [given.code, given.store, given.bucket].every((each) => typeof each === 'string') &&
    typeof given.base === 'number' &&
    (given.access === 'open' || given.access === 'closed') &&
    Array.isArray(given.changes) &&
    given.changes.every(isChange) &&
    Array.isArray(given.settings)
  );
}

const isChange = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && 'key' in value && typeof value.key === 'string';
