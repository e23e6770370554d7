/** What somebody else has changed in a bucket, past Fenestra: shown as such, and never overwritten unasked. */
import { FenestraError } from '../errors/catalogue.js';
import { compareKeys } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import { countOf } from '../words/counts.js';
import type { Ordered } from './change-list.js';

export interface ForeignChange {
  readonly key: string;
  /** Of what is relabelled the bytes are as they were left. */
  readonly change: 'added' | 'replaced' | 'relabelled' | 'removed';
  /** As it lies there now; absent where it is gone. Its digest is '' where nobody knows it. */
  readonly now?: StoredObject;
}

/** The objects of a bucket as they lie there, in key order. @param changes in key order too */
export async function* withForeign(
  objects: Ordered<StoredObject>,
  changes: readonly ForeignChange[],
): AsyncGenerator<StoredObject> {
  let at = 0;
  for await (const object of objects) {
    for (let next = changes[at]; next && compareKeys(next.key, object.key) < 0; next = changes[++at])
      if (next.now) yield next.now;
    const own = changes[at]?.key === object.key ? changes[at++] : undefined;
    if (!own) yield object;
    else if (own.now) yield own.now;
  }
  for (const { now } of changes.slice(at)) if (now) yield now;
}

/** Which changes of others may be overwritten. */
export interface OverForeign {
  /** Of what is the site's too. */
  readonly covers: (key: string) => boolean;
  /** Of what somebody else has put beside it. */
  readonly additions: (key: string) => boolean;
}

export const OVER_NOTHING: OverForeign = { covers: () => false, additions: () => false };
/** Whatever is in the site's way; what lies beside it is left. */
export const OVER_OWN: OverForeign = { covers: () => true, additions: () => false };

/** Whose bytes are not there as they were left: what a release has to know of them. */
export const listMissing = (
  changes: readonly ForeignChange[],
): { readonly unknown: string[]; readonly gone: string[] } => ({
  unknown: changes.filter(({ change, now }) => now && change !== 'relabelled').map(({ key }) => key),
  gone: changes.filter(({ now }) => !now).map(({ key }) => key),
});

const NAMED = 5;

/** @throws FenestraError FOREIGN_CHANGES where something would be overwritten that somebody else has put or removed */
export function assertOwn(bucket: string, changes: readonly ForeignChange[], release: number): void {
  if (changes.length === 0) return;
  const named = changes.slice(0, NAMED).map(({ key, change }) => `${key} (${change})`);
  const more = changes.length > NAMED ? ` and ${changes.length - NAMED} more` : '';
  throw new FenestraError('FOREIGN_CHANGES', {
    what: `${countOf(changes.length, 'object')} of ${bucket} ${changes.length === 1 ? 'was' : 'were'} changed by somebody else ${release === 0 ? 'before it was Fenestra that published to it' : `since release ${release}`}`,
    which: named.join(', ') + more,
  });
}
