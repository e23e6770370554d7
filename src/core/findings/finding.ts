/** Findings: what Fenestra saw that is wrong or risky, whoever saw it. */
export type Level = 'error' | 'warning' | 'note';

/** A line of an object. */
export interface FindingLocation {
  readonly key: string;
  /** Counts from 1. */
  readonly line: number;
}

/** Something wrong or risky that Fenestra saw. */
export interface Finding {
  readonly rule: string;
  readonly level: Level;
  readonly key?: string;
  /** The name under which it is published, where that is a versioned one and `key` the plain one. */
  readonly publishedAs?: string;
  readonly line?: number;
  /** The name of the config, where it stands in that and not in an object. */
  readonly file?: string;
  /** What is wrong; the same however many places have it. */
  readonly message: string;
  /** The cure: a command to type or config lines to change. */
  readonly fix: string;
  /** What it is about where that is not the place that it stands at: an address, an object's key. */
  readonly about?: string;
  /** All other places that have it, in the order in which they were read. */
  readonly elsewhere?: readonly FindingLocation[];
}

/** What makes a finding the same one in another run: neither where it was met first nor how often. */
export const identityOf = ({
  rule,
  key,
  message,
  about,
}: Pick<Finding, 'rule' | 'message'> & {
  readonly key?: string | undefined;
  readonly about?: string | undefined;
}): string => (about === undefined ? [rule, key ?? '', message] : [rule, about]).join('\0');
