/** What is learned of a store that is tried. */
export interface TriedRow {
  readonly what: string;
  /** Undefined where it could not be tried. */
  readonly can: boolean | undefined;
  /** What it means for publishing. */
  readonly means: string;
}

export interface TriedStore {
  readonly bucket: string;
  /** Where the public was asked; undefined for a store on this machine. */
  readonly address: string | undefined;
  readonly rows: readonly TriedRow[];
  /** Of each named set of quirks how many of the answers are as it says, the best first. */
  readonly answersAs: readonly { readonly quirks: string; readonly alike: number; readonly of: number }[];
}

export type Note = (what: string, can: boolean | undefined, means: string) => void;
