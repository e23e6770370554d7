/** What has changed in a site since it was surveyed before: few keys, of the last few states. */

/** A state that the site was in, and every key that may have changed, come or gone since. */
export interface PastState {
  readonly identity: string;
  readonly keys: readonly string[];
}

const MAX_STATES = 3;
const MAX_KEYS = 256;

/**
 * @param was the state before, undefined where nothing can be said of it
 * @param keys that may have changed since then
 */
export function extendTrail(
  was: { readonly identity: string; readonly trail?: readonly PastState[] | undefined } | undefined,
  keys: readonly string[],
): readonly PastState[] {
  if (!was || keys.length > MAX_KEYS) return [];
  return [{ identity: was.identity, keys: [] }, ...(was.trail ?? [])]
    .map((state) => ({ ...state, keys: [...new Set([...state.keys, ...keys])] }))
    .filter((state) => state.keys.length <= MAX_KEYS)
    .slice(0, MAX_STATES);
}
