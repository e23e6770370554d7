/** Asking the resolver, which asks for objects at once, about a snapshot, which answers when it can. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Snapshot } from '../../stores/port.js';

/** Thrown when the resolver asks for a key that has not been looked for yet. */
class NotLookedFor extends Error {}

/** Always the same one: it says nothing of where it was thrown, and a trace of that costs more than a look. */
const NOT_LOOKED_FOR = new NotLookedFor();

/** Does some pure work with a view of a snapshot: again, until every key that it asks for has been looked for. */
export async function withView<T>({ state, ...rest }: ViewSource, work: (view: BucketView) => T): Promise<T> {
  const found = new Map<string, StoredObject | undefined>();
  const wanted = new Set<string>();
  const folders = new Map<string, boolean>();
  const wantedFolders = new Map<string, ((key: string) => boolean) | undefined>();
  const view: BucketView = {
    ...state,
    find(key) {
      if (found.has(key)) return found.get(key);
      wanted.add(key);
      throw NOT_LOOKED_FOR;
    },
    hasBelow(prefix, counts) {
      const known = folders.get(prefix);
      if (known !== undefined) return known;
      wantedFolders.set(prefix, counts);
      throw NOT_LOOKED_FOR;
    },
  };
  for (;;) {
    try {
      return work(view);
    } catch (error) {
      if (!(error instanceof NotLookedFor)) throw error;
      for (const key of wanted) found.set(key, await rest.find(key));
      wanted.clear();
      for (const [prefix, counts] of wantedFolders)
        folders.set(prefix, (await rest.hasBelow?.(prefix, counts)) ?? false);
      wantedFolders.clear();
    }
  }
}

/** @param state where it is looked at otherwise than it is */
export const sourceOf = (snapshot: Snapshot, state = snapshot.state): ViewSource => ({
  state,
  find: (key) => snapshot.find(key),
  ...(snapshot.hasBelow ? { hasBelow: snapshot.hasBelow.bind(snapshot) } : {}),
});

interface ViewSource extends Pick<Snapshot, 'state' | 'hasBelow'> {
  find(key: string): Promise<StoredObject | undefined>;
}
