/** A store on this machine as something to host. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { hostsOf } from '../../core/hosting/bucket-view.js';
import type { Hosted } from '../../server/hosted.js';
import type { Store } from '../../stores/port.js';

/** @throws FenestraError STORE_ELSEWHERE where the store does not lie on this machine */
export function hostStore(store: Store): Hosted {
  const hosting = store.hosting?.();
  if (!hosting) throw new FenestraError('STORE_ELSEWHERE', { store: store.name });
  return {
    ...hosting,
    buckets: () =>
      hosting.buckets().map(({ objects = 0, bytes = 0, ...state }) => ({
        ...state,
        objects,
        bytes,
        domains: hostsOf(state.settings),
      })),
  };
}
