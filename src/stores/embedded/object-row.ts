/** An object as the rows know it; its bucket and key are the row's own. */
import type { ObjectHeaders, SiteObject, StoredObject } from '../../core/site/site-object.js';

export interface ObjectRow {
  readonly digest: string;
  readonly size: number;
  readonly since: number;
  readonly headers: ObjectHeaders;
  readonly plain?: string;
  readonly neededUntil?: number;
  readonly waits?: true;
}

/** The row of an object that is published. Most have nothing more to say than the first four. */
export function withSince(
  { digest, size, headers, plain }: SiteObject,
  since: number,
  neededUntil: number | undefined,
): ObjectRow {
  if (plain === undefined && neededUntil === undefined) return { digest, size, headers, since };
  return {
    digest,
    size,
    headers,
    since,
    ...(plain === undefined ? {} : { plain }),
    ...(neededUntil === undefined ? {} : { neededUntil }),
  };
}

export function withKey(key: string, row: ObjectRow): StoredObject {
  const { digest, size, since, headers, plain, neededUntil, waits } = row;
  const object = { key, digest, size, since, headers };
  // Most objects have nothing more to say.
  if (plain === undefined && neededUntil === undefined && waits === undefined) return object;
  return {
    ...object,
    ...(plain === undefined ? {} : { plain }),
    ...(neededUntil === undefined ? {} : { neededUntil }),
    ...(waits === undefined ? {} : { waits }),
  };
}
