/** An object as the rows know it; its bucket and key are the row's own. */
import type { ObjectHeaders, StoredObject } from '../../core/site/site-object.js';

export interface ObjectRow {
  readonly digest: string;
  readonly size: number;
  readonly since: number;
  readonly headers: ObjectHeaders;
}

export const withKey = (key: string, { digest, size, since, headers }: ObjectRow): StoredObject => ({
  key,
  digest,
  size,
  since,
  headers,
});
