import { FenestraError } from '../../core/errors/catalogue.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { Store } from '../../stores/port.js';

/** A store with its history. @param what it is wanted for @throws FenestraError STORE_CANNOT */
export function assertHistory(
  store: Store,
  what: string,
): { readonly releases: (bucket: string) => Promise<readonly ReleaseRecord[]> } {
  const releases = store.guarantees.history ? store.releases?.bind(store) : undefined;
  if (!releases) throw new FenestraError('STORE_CANNOT', { store: store.name, what });
  return { releases };
}
