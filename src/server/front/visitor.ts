/** Whoever is at the other end of one connection of the front. */

export interface Visitor {
  /** Of its client. */
  readonly address: string;
}

/** A request of a visitor. */
export interface Visit {
  readonly visitor: Visitor;
  /** The authority and the target, as they came. */
  readonly came?: { readonly authority: string; readonly target: string };
  /** Whether nobody waits for the answer any more. */
  isGone(): boolean;
}

/** What the front asks for by itself. */
export const OWN_VISIT: Visit = { visitor: { address: '' }, isGone: () => false };
