/**
 * Who may publish, of a store that has no compare-and-swap: everyone puts a claim of their own and then looks. A claim
 * holds once its owner has seen it stand alone. Whoever looks later sees it, so two never hold at once, whatever the
 * clocks say; the clocks only decide who waits for the others to withdraw, and who withdraws.
 */
export interface ListedClaim {
  readonly name: string;
  /** As the store says it; of several proxies each has a clock of its own. */
  readonly lastModified: string;
}

export type ClaimVerdict =
  | { readonly outcome: 'held' }
  /** The others came later, and withdraw. */
  | { readonly outcome: 'wait' }
  /** A listing that lacks the own claim says nothing of the others'. */
  | { readonly outcome: 'unseen' }
  | { readonly outcome: 'busy'; readonly first: string };

/** @param claims that are there, in any order */
export function decideClaim(claims: readonly ListedClaim[], own: string): ClaimVerdict {
  const others = claims.filter(({ name }) => name !== own);
  if (others.length === claims.length) return { outcome: 'unseen' };
  if (others.length === 0) return { outcome: 'held' };
  const [first] = [...claims].sort(byAge);
  return first === undefined || first.name === own
    ? { outcome: 'wait' }
    : { outcome: 'busy', first: first.name };
}

/** The earliest first. */
export function byAge(a: ListedClaim, b: ListedClaim): number {
  if (a.lastModified !== b.lastModified) return a.lastModified < b.lastModified ? -1 : 1;
  return a.name < b.name ? -1 : 1;
}
