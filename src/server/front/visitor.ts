/** Whoever is at the other end of one connection of the front. */

export interface Visitor {
  /** Of its client. */
  readonly address: string;
}

export const NOBODY: Visitor = { address: '' };
