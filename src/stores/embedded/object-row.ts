/** An object as the rows know it; its bucket and key are the row's own. */
import type { ObjectHeaders, StoredObject } from '../../core/site/site-object.js';

export interface ObjectRow {
  readonly digest: string;
  readonly size: number;
  readonly since: number;
  readonly headers: ObjectHeaders;
  readonly plain?: string;
  readonly neededUntil?: number;
  readonly waits?: true;
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
