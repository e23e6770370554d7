/** How often objects have really changed, by the releases that are kept. */
export interface ChangeHistory {
  /** Releases that were looked at, each beside the one before. */
  readonly releases: number;
  /** From the first of them to now, in seconds. */
  readonly span: number;
  /** By key: the releases in which its bytes changed or it went away. */
  readonly changes: ReadonlyMap<string, ReadonlySet<number>>;
}
