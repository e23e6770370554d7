/** The embedded store as something to host. */
import * as crypto from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { Hosted } from '../../server/hosted.js';
import { streamBody } from '../../stores/embedded/open-body.js';
import type { EmbeddedStore } from '../../stores/embedded/embedded-store.js';

/**
 * @param asOpen shows every bucket as open, as it will be for the public: for checking before it is opened
 */
export function hostStore(store: EmbeddedStore, asOpen = false): Hosted {
  return {
    refresh: () => store.refresh(),
    buckets: () => store.bucketStates().map((state) => ({ ...state, domains: state.settings.domains })),
    view: (bucket) => {
      const view = store.view(bucket);
      return view && asOpen ? openView(view) : view;
    },
    async read(object) {
      const { path, start, file } = await store.openBody(object);
      const bytes = Buffer.allocUnsafe(object.size);
      try {
        const { bytesRead } = await file.read(bytes, 0, object.size, start);
        if (bytesRead < object.size) throw damaged(object.key, store, `${path} is cut short`);
      } finally {
        await file.close();
      }
      if (crypto.hash('sha256', bytes, 'hex') !== object.digest)
        throw damaged(object.key, store, `${path} holds other bytes`);
      return bytes;
    },
    async stream(object, start, end) {
      const body = await store.openBody(object);
      const { size } = await body.file.stat();
      if (size >= body.start + object.size) return streamBody(body, start, end);
      await body.file.close();
      throw damaged(object.key, store, `${body.path} is cut short`);
    },
  };
}

const opened = new WeakMap<BucketView, BucketView>();

/** The same release as it is once the bucket is open; the same view for the same release. */
export function openView(view: BucketView): BucketView {
  let open = opened.get(view);
  if (!open) opened.set(view, (open = { ...view, access: 'open' }));
  return open;
}

const damaged = (key: string, store: EmbeddedStore, reason: string): FenestraError =>
  new FenestraError('BODY_DAMAGED', { key, reason, path: store.layout.root });
