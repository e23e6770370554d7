/** The cascade: which rule decides each property of an object, and which rules lost to it. */
import type { CachePolicy } from '../caching/cache-result.js';
import type { ObjectHeaders } from '../site/site-object.js';
import { createVersionable, type VersionedSetting } from '../versioning/versionable.js';
import { cacheDefault, VERSIONED_DEFAULT, type DefaultCache } from './defaults.js';
import { isAlsoSources, matchesRange, typeByName, withCharset } from './media-type.js';
import { parsePattern, type Matcher } from './pattern.js';
import { ASSIGNABLE, PROPERTIES, type AssignedValues, type Encoding, type Property } from './properties.js';

/** One rule under `assign`, as the config gives it. */
export interface AssignRule extends AssignedValues {
  /** Position under `assign`, from 1. */
  readonly number: number;
  /** Line of the config where the rule starts, from 1; 0 for one that stands in none. */
  readonly line: number;
  readonly to?: readonly string[];
  readonly type?: readonly string[];
  readonly ifUnset?: boolean;
}

export interface Assignments {
  /** The name of the config that they stand in. */
  readonly file: string;
  readonly rules: readonly AssignRule[];
  readonly otherwise?: CachePolicy;
  readonly versioned?: VersionedSetting;
}

/** What gave a value: a rule of the config (`rule` is its number) or a default. */
export interface Decider {
  readonly by: string;
  readonly rule?: number;
}

export interface Decision {
  readonly headers: ObjectHeaders;
  readonly cacheWords: string;
  readonly encoding?: Encoding;
  readonly decidedBy: Readonly<Partial<Record<Property, Decider>>>;
}

/** One line of the cascade of one property, for `--explain`. */
export interface Candidate {
  readonly property: Property;
  readonly by: string;
  readonly rule?: number;
  readonly value: string;
  readonly outcome: 'decided' | 'overridden' | 'yielded';
}

// A property goes to the highest tier, and within one tier to the latest.
const TIER = { fallback: 0, ifUnset: 1, default: 2, rule: 3 } as const;

interface Bid<T = string | CachePolicy> extends Decider {
  readonly tier: number;
  readonly value: T;
}

interface CompiledRule {
  readonly rule: AssignRule;
  readonly matchesKey: Matcher;
}

interface Taking {
  readonly mark: string;
  readonly typeBids: readonly Bid[];
  /** Content-Type; '' when there is none. */
  readonly type: string;
  /** Those that match by path and by type. */
  readonly rules: readonly CompiledRule[];
}

interface Defaults {
  readonly cache: DefaultCache;
  readonly isSvgz: boolean;
}

export const ruleLabel = ({ number, line }: AssignRule): string =>
  line === 0 ? 'the line that was added' : `rule ${number}, line ${line}`;

export interface Cascade {
  /**
   * Decides every property. Equal decisions are the same object, so that they can be counted and stored once.
   * @param textual whether the bytes are known to be text, where the name alone does not tell
   * @param plain whether it is for the plain name of what has a versioned one too
   */
  decide(key: string, textual?: boolean, plain?: boolean): Decision;
  /** Every rule and default that took part, in order, with what became of it. */
  explain(key: string, textual?: boolean, plain?: boolean): Candidate[];
  /** The numbers of the rules that match a key, whether they decide anything or not. */
  matching(key: string): number[];
}

export function createCascade({ rules, otherwise, versioned }: Assignments): Cascade {
  const versionable = versioned && createVersionable(versioned);
  const compiled = rules.map((rule) => ({ rule, matchesKey: matcherOf(rule) }));
  const interned = new Map<string, Decision>();

  const taken = new Map<string, Taking>();
  const decided = new Map<string, Decision>();

  /** What many keys have in common: the rules that match them, and the type that their names tell. */
  const takingOf = (key: string, textual: boolean): Taking => {
    const matched = compiled.filter((each) => each.matchesKey(key));
    const byPath = matched.filter(({ rule }) => rule.type === undefined);
    const named = defaultTypeBid(key, byPath, textual);
    const mark = `${named?.by ?? ''}\u0001${String(named?.value ?? '')}\u0001${matched.map(({ rule }) => rule.number).join()}`;
    const known = taken.get(mark);
    if (known) return known;
    const typeBids = [...(named ? [named] : []), ...ruleBids(byPath, 'contentType')];
    const type = String(winner(typeBids)?.value ?? '');
    const rules = matched.filter(
      ({ rule }) => rule.type === undefined || rule.type.some((range) => matchesRange(range, type)),
    );
    const taking = { mark, typeBids, type, rules };
    taken.set(mark, taking);
    return taking;
  };

  const defaultsOf = (key: string, type: string, plain: boolean): Defaults => ({
    cache: !plain && versionable?.covers(key, type) === true ? VERSIONED_DEFAULT : cacheDefault(key, type),
    isSvgz: /\.svgz$/i.test(key),
  });

  const bidsOf = ({ typeBids, rules: taking }: Taking, { cache, isSvgz }: Defaults): Map<Property, Bid[]> => {
    const bids = new Map(
      PROPERTIES.map((property): [Property, Bid[]] => [property, ruleBids(taking, property)]),
    );
    bids.set('contentType', [...typeBids]);
    bids.get('cache')?.unshift(cacheBid(cache, otherwise));
    if (isSvgz) bids.get('encoding')?.unshift(SVGZ);
    return bids;
  };

  const decide = (key: string, textual = false, plain = false): Decision => {
    const taking = takingOf(key, textual);
    const defaults = defaultsOf(key, taking.type, plain);
    const mark = `${taking.mark}\u0001${defaults.cache.by}\u0001${defaults.isSvgz}`;
    const known = decided.get(mark);
    if (known) return known;
    const bids = bidsOf(taking, defaults);
    const won = PROPERTIES.map((property) => winner(bids.get(property) ?? []));
    const signature = won.map((bid) => (bid ? `${bid.by}\u0001${valueText(bid.value)}` : '')).join('\u0002');
    const decision = interned.get(signature) ?? toDecision(won);
    interned.set(signature, decision);
    decided.set(mark, decision);
    return decision;
  };

  const explain = (key: string, textual = false, plain = false): Candidate[] => {
    const taking = takingOf(key, textual);
    const bids = bidsOf(taking, defaultsOf(key, taking.type, plain));
    return PROPERTIES.flatMap((property) => {
      const list = bids.get(property) ?? [];
      const won = winner(list);
      return list.map((bid) => ({
        property,
        by: bid.by,
        ...(bid.rule === undefined ? {} : { rule: bid.rule }),
        value: valueText(bid.value),
        outcome: bid === won ? 'decided' : bid.tier === TIER.ifUnset ? 'yielded' : 'overridden',
      }));
    });
  };

  const matching = (key: string): number[] => {
    const type = decide(key).headers['Content-Type'] ?? '';
    return compiled
      .filter(
        ({ rule, matchesKey }) =>
          matchesKey(key) && (rule.type?.some((range) => matchesRange(range, type)) ?? true),
      )
      .map(({ rule }) => rule.number);
  };

  return { decide, explain, matching };
}

const SOURCES: Bid = {
  by: 'default: the bytes are text',
  tier: TIER.default,
  value: withCharset('text/plain'),
};

const SVGZ: Bid = { by: 'default: svgz is compressed SVG', tier: TIER.default, value: 'gzip' };

function matcherOf(rule: AssignRule): Matcher {
  const matchers = rule.to?.map(parsePattern);
  return matchers === undefined ? () => true : (key) => matchers.some((matches) => matches(key));
}

function ruleBids(matched: readonly CompiledRule[], property: Property): Bid[] {
  const bids: Bid[] = [];
  for (const { rule } of matched) {
    const value = rule[property];
    if (value === undefined) continue;
    bids.push({
      by: ruleLabel(rule),
      rule: rule.number,
      tier: rule.ifUnset ? TIER.ifUnset : TIER.rule,
      value,
    });
  }
  return bids;
}

/** @param byPath the rules that match whatever the type is */
function defaultTypeBid(key: string, byPath: readonly CompiledRule[], textual: boolean): Bid | undefined {
  // Its type is that of the name without the ending, where a rule says that it is compressed.
  const isPacked = /\.(?:gz|br)$/i.test(key) && winner(ruleBids(byPath, 'encoding')) !== undefined;
  const type = typeByName(isPacked ? key.replace(/\.\w+$/, '') : key);
  if (type === undefined) return undefined;
  if (textual && isAlsoSources(type)) return SOURCES;
  return { by: 'default: by extension', tier: TIER.default, value: withCharset(type) };
}

const cacheBid = (found: DefaultCache, otherwise: CachePolicy | undefined): Bid => {
  if (!found.fallback) return { by: found.by, tier: TIER.default, value: found.policy };
  return otherwise === undefined
    ? { by: found.by, tier: TIER.fallback, value: found.policy }
    : { by: 'otherwise', tier: TIER.fallback, value: otherwise };
};

function winner(bids: readonly Bid[]): Bid | undefined {
  let best: Bid | undefined;
  for (const bid of bids) if (best === undefined || bid.tier >= best.tier) best = bid;
  return best;
}

const valueText = (value: string | CachePolicy): string => {
  if (typeof value === 'string') return value;
  const lines = Object.entries(value.headers).map(([name, text]) =>
    name === 'Cache-Control' ? text : `${name}: ${text}`,
  );
  return lines.length > 0 ? lines.join(' · ') : 'no cache header';
};

/** @param won in the order of the properties */
function toDecision(won: readonly (Bid | undefined)[]): Decision {
  const headers: Record<string, string> = {};
  const decidedBy: Partial<Record<Property, Decider>> = {};
  let cacheWords = 'no cache header';
  let encoding: Encoding | undefined;
  PROPERTIES.forEach((property, index) => {
    const bid = won[index];
    if (!bid) return;
    decidedBy[property] = { by: bid.by, ...(bid.rule === undefined ? {} : { rule: bid.rule }) };
    if (typeof bid.value === 'string') {
      headers[ASSIGNABLE[property].headers[0]] = bid.value;
      if (property === 'encoding') encoding = bid.value as Encoding;
    } else {
      Object.assign(headers, bid.value.headers);
      cacheWords = bid.value.words;
    }
  });
  return { headers, cacheWords, ...(encoding === undefined ? {} : { encoding }), decidedBy };
}
