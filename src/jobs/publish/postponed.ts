/** What becomes of objects that pages which somebody holds may still ask for. */
import type { Needed } from '../../core/versioning/needed-until.js';

export interface Postponed {
  /** By the key of what is not part of the release any more: until when it stays. */
  readonly removals: ReadonlyMap<string, Needed>;
  /** By the key of what stays part of it: until when pages of earlier releases may ask for it. */
  readonly needed: ReadonlyMap<string, number>;
}

export const NOTHING_POSTPONED: Postponed = { removals: new Map(), needed: new Map() };
