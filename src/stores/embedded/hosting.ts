/** The embedded store as something that answers requests at once. */
import { MAX_BELOW } from '../../core/hosting/find-in.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Hosting } from '../port.js';
import type { Layout } from './layout.js';
import { readBody, readSmallBody } from './open-body.js';
import { withKey } from './object-row.js';
import { type Rows } from './rows.js';
import { hasKeyBelow, MAX_KEY } from './snapshot.js';

export function hostRows(layout: Layout, rows: Rows): Hosting {
  const views = new Map<string, { readonly record: Buffer; readonly view: BucketView }>();
  return {
    refresh: () => rows.root.resetReadTxn(),
    buckets: () => [...rows.buckets.list()].map(({ value }) => value),
    // As long as nothing about the bucket changes it is the same view, so what was made of it can be kept.
    view(bucket) {
      const record = rows.buckets.getRow(bucket);
      const known = views.get(bucket);
      if (known && record?.equals(known.record)) return known.view;
      const state = record && rows.buckets.get(bucket);
      if (!state) {
        views.delete(bucket);
        return undefined;
      }
      const view = {
        ...state,
        find(key: string): StoredObject | undefined {
          const row = key.length > MAX_KEY ? undefined : rows.current.get([bucket, key]);
          return row && withKey(key, row);
        },
        hasBelow: (prefix: string, counts?: (key: string) => boolean): boolean =>
          hasKeyBelow(rows, bucket, prefix, undefined, counts, MAX_BELOW),
      };
      views.set(bucket, { record: Buffer.from(record), view });
      return view;
    },
    read: async (object) => readSmallBody(layout, rows, object),
    pieces: (object, range) => readBody(layout, rows, object, range),
  };
}
