/** Asking the resolver, which asks for objects at once, about a snapshot, which answers when it can. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Snapshot } from '../../stores/port.js';

/** Thrown when the resolver asks for a key that has not been looked for yet. */
class NotLookedFor extends Error {}

/** Does some pure work with a view of a snapshot: again, until every key that it asks for has been looked for. */
export async function withView<T>({ state, ...rest }: ViewSource, work: (view: BucketView) => T): Promise<T> {
  const found = new Map<string, StoredObject | undefined>();
  const wanted = new Set<string>();
  const view: BucketView = {
    ...state,
    find(key) {
      if (found.has(key)) return found.get(key);
      wanted.add(key);
      throw new NotLookedFor();
    },
  };
  for (;;) {
    try {
      return work(view);
    } catch (error) {
      if (!(error instanceof NotLookedFor)) throw error;
      for (const key of wanted) found.set(key, await rest.find(key));
      wanted.clear();
    }
  }
}

interface ViewSource extends Pick<Snapshot, 'state'> {
  find(key: string): Promise<StoredObject | undefined>;
}
