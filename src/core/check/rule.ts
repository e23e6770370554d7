/** The shape of an inspection rule. One file each under rules/; docs/findings.md is generated from them. */
import type { Assignments, Cascade } from '../assign/cascade.js';
import { typeByName } from '../assign/media-type.js';
import type { Matcher } from '../assign/pattern.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { SurveyObject } from '../site/survey.js';
import type { FindingLocation } from '../findings/finding.js';
import { makeRule, type Remark, type Rule as RuleOf, type RuleHead } from '../findings/rule.js';
import type { StoredObject } from '../site/site-object.js';
import type { UncertainName } from '../versioning/uncertain-name.js';
import type { Versionable } from '../versioning/versionable.js';
import type { FaultyReference, Load, ReleaseContext } from './release-context.js';

export { makeRule, type Remark, type RuleHead };

/** Everything that the survey's rules may look at. */
export interface SurveyContext {
  /** In key order. */
  readonly objects: readonly SurveyObject[];
  readonly keys: ReadonlySet<string>;
  readonly cascade: Cascade;
  readonly assignments: Assignments;
  readonly settings: BucketSettings;
  /** The names of the buckets that the config speaks of. */
  readonly buckets: readonly string[];
  /** Keys that the config lets pass as meant. */
  readonly allowed: Matcher;
  /** What gets versioned names. */
  readonly versionable?: Versionable | undefined;
  /** What names objects with versioned names and cannot be rewritten. */
  readonly uncertain?: readonly UncertainName[];
  /** Links that were left out, with the reason. */
  readonly links: readonly { readonly path: string; readonly because: string }[];
  /** What is Fenestra's own and was left out, with what it is. */
  readonly own?: readonly { readonly path: string; readonly because: string }[];
  /** Rules of a web server that were left out as dot files, with what they hold; '' where nobody can tell. */
  readonly idle?: readonly { readonly path: string; readonly because: string }[];
  /** Milliseconds since the epoch. */
  readonly now: number;
}

export type Rule<Context = SurveyContext> = RuleOf<Context>;

/** A rule that looks at the site as a whole. */
export const siteRule = makeRule<SurveyContext>;

/** A rule that looks at a release and what its texts refer to. */
export const releaseRule = makeRule<ReleaseContext>;

export type ReleaseRule = Rule<ReleaseContext>;

/** A rule on references with one kind of trouble; each address is spoken of once, at its first place. */
export const linkRule = (
  head: RuleHead,
  covers: (link: FaultyReference, context: ReleaseContext) => boolean,
  say: (link: FaultyReference, context: ReleaseContext) => { readonly message: string; readonly fix: string },
): ReleaseRule =>
  releaseRule(head, function* (context) {
    for (const link of context.links) {
      if (!covers(link, context)) continue;
      const { message, fix } = say(link, context);
      const about = link.path === '' ? link.raw : link.path;
      yield {
        key: link.from,
        line: link.line,
        message,
        fix,
        about: link.problem === 'fragment' ? `${about}#${link.detail ?? ''}` : about,
        ...elsewhere(link.places.others()),
      };
    }
  });

/** A rule on what pages load. */
export const loadRule = (
  head: RuleHead,
  look: (
    load: Load,
    context: ReleaseContext,
  ) => { readonly message: string; readonly fix: string; readonly about?: string } | undefined,
): ReleaseRule =>
  releaseRule(head, function* (context) {
    const said = new Map<string, Remark & { readonly about: string; places: readonly FindingLocation[] }>();
    for (const load of context.loads) {
      const words = look(load, context);
      if (!words) continue;
      // However many ways there are to load an object, its fault is one.
      const about = words.about ?? load.object.key;
      const { from: key, line } = load;
      const others = load.places.others();
      const known = said.get(about);
      if (known) known.places = [...known.places, { key, line }, ...others];
      else said.set(about, { ...words, about, key, line, places: others });
    }
    for (const { places, ...remark } of said.values()) yield { ...remark, ...elsewhere(places) };
  });

/** The other places of a remark, where there are any. */
export const elsewhere = (
  places: readonly FindingLocation[],
): { readonly elsewhere?: readonly FindingLocation[] } => (places.length === 0 ? {} : { elsewhere: places });

/** A rule that looks at one object at a time. */
export const objectRule = (
  head: RuleHead,
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

/** A rule that looks at one object of a release at a time. */
export const objectRuleOfRelease = (
  head: RuleHead,
  look: (object: StoredObject, context: ReleaseContext) => Omit<Remark, 'key'> | undefined,
): ReleaseRule =>
  releaseRule(head, function* (context) {
    for (const object of context.objects) {
      const remark = look(object, context);
      if (remark) yield { key: object.key, ...remark };
    }
  });

/** The config line that would give one key something. */
export const assignLine = (to: string, gives: string): string =>
  `add under assign: - { to: ${JSON.stringify(to)}, ${gives} }`;

/** The type that an object of some kind would have: by its bytes, else by its name. */
export const typeMeant = ({ bytesAre }: ReleaseContext, key: string, kind: RegExp): string | undefined =>
  [bytesAre(key), typeByName(key)].find((type) => type !== undefined && kind.test(type));

/** A key as the file is called in the site. */
export const ownKey = ({ under }: Pick<ReleaseContext, 'under'>, key: string): string =>
  key.startsWith(under) ? key.slice(under.length) : key;

/** The cure of a wrong type: in the rule that gives it, or in a new one. */
export const typeFix = (context: ReleaseContext, key: string, contentType: string): string => {
  const place = context.typeRule(key);
  return place === undefined
    ? assignLine(`/${ownKey(context, key)}`, `contentType: ${contentType}`)
    : `${place}: contentType: ${contentType}`;
};
