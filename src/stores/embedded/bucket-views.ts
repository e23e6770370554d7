/** What the resolver sees of the buckets in the store. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { withKey, type Rows } from './rows.js';

// No published key is longer, and LMDB refuses longer ones.
const MAX_FOUND = 1024;

export class BucketViews {
  readonly #rows: Rows;
  readonly #views = new Map<string, { readonly record: Buffer; readonly view: BucketView }>();

  constructor(rows: Rows) {
    this.#rows = rows;
  }

  /**
   * One release of a bucket; undefined when there is no such bucket. As long as nothing about the bucket changes it is
   * the same view, so what was made of it can be kept.
   */
  view(bucket: string): BucketView | undefined {
    const { buckets, current } = this.#rows;
    const record = buckets.getBinary(bucket);
    const known = this.#views.get(bucket);
    if (known && record?.equals(known.record)) return known.view;
    const state = record && buckets.get(bucket);
    if (!state) {
      this.#views.delete(bucket);
      return undefined;
    }
    const view = {
      ...state,
      find(key: string): StoredObject | undefined {
        const row = key.length > MAX_FOUND ? undefined : current.get([bucket, key]);
        return row && withKey(key, row);
      },
    };
    this.#views.set(bucket, { record: Buffer.from(record), view });
    return view;
  }
}
