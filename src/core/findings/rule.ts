/** The shape of a rule, whatever it looks at; docs/findings.md is generated from them. */
import type { Finding, Level, FindingLocation } from './finding.js';

export interface Rule<Context> {
  readonly name: string;
  readonly level: Level;
  /** What is wrong, in general: one sentence for the docs. */
  readonly explain: string;
  /** A key or config line that has it. */
  readonly example: string;
  /** What to do, in general: one sentence for the docs. */
  readonly fix: string;
  /** It concerns who may read what: nothing is published with such an error until the bucket's name is given. */
  readonly concernsReaders?: true;
  /** Names of the elements that it looks at in pages; they are read for it, and given as `elements` of each page. */
  readonly needs?: readonly string[];
  inspect(context: Context): Iterable<Finding>;
}

export type RuleHead = Omit<Rule<unknown>, 'inspect'>;

/** What a rule says of one place; name and level come from the rule. */
export interface Remark {
  readonly message: string;
  readonly fix: string;
  readonly key?: string;
  readonly line?: number;
  /** The name of the config, where it stands in that. */
  readonly file?: string;
  /** What it is about, where the same is met at several places. */
  readonly about?: string;
  readonly elsewhere?: readonly FindingLocation[];
}

/** A rule that looks at a part of what there is. */
export const makeRule = <Context>(
  head: RuleHead,
  look: (context: Context) => Iterable<Remark>,
): Rule<Context> => ({
  ...head,
  *inspect(context) {
    for (const remark of look(context)) yield { rule: head.name, level: head.level, ...remark };
  },
});
