/** What is asked before something that cannot be taken lightly. */
import type { Finding } from '../findings/finding.js';
import type { ChangeTotals } from './change-list.js';

/** What is about to happen, as data. */
export type Question =
  | {
      readonly about: 'publish';
      readonly bucket: string;
      readonly store: string;
      readonly totals: ChangeTotals;
      readonly toSend: number;
    }
  /** The site has errors that concern who may read what. */
  | { readonly about: 'reader-errors'; readonly bucket: string; readonly findings: readonly Finding[] }
  /** Keys that nobody could read when they were last published. */
  | { readonly about: 'widen'; readonly bucket: string; readonly keys: readonly string[] }
  /** Pages, and what pages load, that everybody reads now. */
  | { readonly about: 'narrow'; readonly bucket: string; readonly keys: readonly string[] }
  /** The document at the root, which visitors get now. */
  | { readonly about: 'lose-index'; readonly bucket: string; readonly index: string }
  /** The release was published from another folder, and nothing of it stays as it is. */
  | { readonly about: 'other-project'; readonly bucket: string; readonly folder: string }
  | { readonly about: 'remove-most'; readonly bucket: string; readonly remove: number; readonly of: number }
  | { readonly about: 'open'; readonly bucket: string }
  /** What somebody else has changed is put back. */
  | { readonly about: 'mend'; readonly bucket: string; readonly settings: number; readonly objects: number }
  | { readonly about: 'empty'; readonly bucket: string; readonly remove: number; readonly of: number }
  | {
      readonly about: 'remove-bucket';
      readonly bucket: string;
      readonly objects: number;
      readonly bytes: number;
      readonly releases: number;
    };
