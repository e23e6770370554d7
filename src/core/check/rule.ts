/** The shape of an inspection rule. One file each under rules/; docs/findings.md is generated from them. */
import type { Assignments, Cascade } from '../assign/cascade.js';
import type { Matcher } from '../assign/pattern.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { SurveyObject } from '../site/survey.js';
import type { Finding, Level } from '../site/site-object.js';

/** Everything that the survey's rules may look at. */
export interface SurveyContext {
  /** In key order. */
  readonly objects: readonly SurveyObject[];
  readonly keys: ReadonlySet<string>;
  readonly cascade: Cascade;
  readonly assignments: Assignments;
  readonly settings: BucketSettings;
  /** Keys that the config lets pass as meant. */
  readonly allowed: Matcher;
  /** Links that were left out, with the reason. */
  readonly links: readonly { readonly path: string; readonly because: string }[];
  /** Milliseconds since the epoch. */
  readonly now: number;
}

export interface Rule {
  readonly name: string;
  readonly level: Level;
  /** What is wrong, in general: one sentence for the docs. */
  readonly explain: string;
  /** A key or config line that has it. */
  readonly example: string;
  /** What to do, in general: one sentence for the docs. */
  readonly cure: string;
  inspect(context: SurveyContext): Iterable<Finding>;
}

type Head = Omit<Rule, 'inspect'>;

/** What a rule says of one place; name and level come from the rule. */
export interface Remark {
  readonly message: string;
  readonly fix: string;
  readonly key?: string;
  readonly line?: number;
}

/** A rule that looks at the site as a whole. */
export const siteRule = (head: Head, look: (context: SurveyContext) => Iterable<Remark>): Rule => ({
  ...head,
  *inspect(context) {
    for (const remark of look(context)) yield { rule: head.name, level: head.level, ...remark };
  },
});

/** A rule that looks at one object at a time. */
export const objectRule = (
  head: Head,
  look: (object: SurveyObject, context: SurveyContext) => Omit<Remark, 'key'> | undefined,
): Rule => ({
  ...head,
  *inspect(context) {
    for (const object of context.objects) {
      const remark = look(object, context);
      if (remark) yield { rule: head.name, level: head.level, key: object.key, ...remark };
    }
  },
});

/** The config line that would give one key something. */
export const assignLine = (to: string, gives: string): string =>
  `add under assign: - { to: ${JSON.stringify(to)}, ${gives} }`;
