/** Findings: what Fenestra saw that is wrong or risky, whoever saw it. */
export type Level = 'error' | 'warning' | 'note';

/** Something wrong or risky that Fenestra saw. */
export interface Finding {
  readonly rule: string;
  readonly level: Level;
  readonly key?: string;
  readonly line?: number;
  readonly message: string;
  /** The cure: a command to type or config lines to change. */
  readonly fix: string;
}
