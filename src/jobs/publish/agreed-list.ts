/** A change list that was agreed on, by its code or kept in a file: published exactly, or refused. */
import { createHash, scryptSync } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { showChange } from '../../core/release/change-list.js';
import {
  describeDrift,
  formatCode,
  isListOfChanges,
  readCode,
  type ListOfChanges,
} from '../../core/release/list-of-changes.js';
import { sortedJson } from '../../core/release/plain-data.js';
import type { Comparison } from './comparison.js';

interface Destination {
  readonly store: string;
  readonly bucket: string;
}

/** What would be published, with the code that stands for all of it. */
export function listChanges({ store, bucket }: Destination, comparison: Comparison): ListOfChanges {
  const { bucket: state, entries, settings, companion: beside } = comparison;
  const list = {
    changeList: 1 as const,
    store,
    bucket,
    base: state?.release ?? 0,
    access: state?.access ?? ('closed' as const),
    changes: [
      ...entries.map(showChange),
      ...(beside?.comparison.entries ?? []).map((change) => ({
        ...showChange(change),
        bucket: beside?.bucket,
      })),
    ],
    settings,
  };
  return { ...list, code: codeOf(list) };
}

/**
 * Depends on every key, digest, header, setting and on the release that the list starts from. Forty bits are few, so
 * each try at another list with the same code is made dear.
 */
function codeOf({ store, bucket, base, access, changes, settings }: Omit<ListOfChanges, 'code'>): string {
  const hash = createHash('sha256').update(sortedJson({ store, bucket, base, access, settings }));
  for (const change of changes) hash.update(`\n${sortedJson(change)}`);
  return formatCode(bucket, scryptSync(hash.digest(), 'change list', 8, { N: 2 ** 13, r: 8, p: 1 }));
}

/** @param agreed a code, or the file of a kept list @throws FenestraError LIST_UNREADABLE, AGREED_OTHERWISE */
export function assertAgreed(agreed: string, destination: Destination, comparison: Comparison): void {
  const now = listChanges(destination, comparison);
  const code = existsSync(agreed) ? undefined : readCode(agreed);
  const drift = code ? describeOther(code, now) : describeDrift(readList(agreed), asRead(now));
  if (drift !== undefined) throw new FenestraError('AGREED_OTHERWISE', { agreed, drift });
}

function describeOther(
  { bucket, code }: { readonly bucket: string; readonly code: string },
  now: ListOfChanges,
): string | undefined {
  if (code === now.code) return undefined;
  // A bucket that was closed meanwhile shows less than was agreed on.
  if (now.access === 'closed' && code === codeOf({ ...now, access: 'open' })) return undefined;
  return bucket === now.bucket
    ? `now the code is ${now.code}; a list that is kept with --save tells what has drifted`
    : `that code is of bucket ${bucket}, and this is ${now.bucket}`;
}

/** As it comes back from a file: without what is undefined. */
const asRead = (list: ListOfChanges): ListOfChanges => JSON.parse(JSON.stringify(list)) as ListOfChanges;

function readList(file: string): ListOfChanges {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    const missing = systemCode(error) === 'ENOENT';
    const reason = missing
      ? 'there is no such file, and it is no code such as mill-7f3k-2q9d'
      : reasonInWords(error);
    throw new FenestraError('LIST_UNREADABLE', { file, reason }, error);
  }
  const list = parseList(text);
  if (list) return list;
  throw new FenestraError('LIST_UNREADABLE', { file, reason: 'it does not say that it is one' });
}

const PAGE_DATA = /<script type="application\/json" id="change-list">([^<]*)<\/script>/;

/** A list is kept as JSON, or as a page that holds the same JSON. */
function parseList(text: string): ListOfChanges | undefined {
  try {
    const document: unknown = JSON.parse(PAGE_DATA.exec(text)?.[1] ?? text);
    return isListOfChanges(document) ? document : undefined;
  } catch {
    return undefined;
  }
}
