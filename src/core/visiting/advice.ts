/** Which single line of the config would save returning visitors something, and what it risks. */
import { YEAR } from '../caching/duration.js';
import { fieldOf, freshnessOf } from '../caching/freshness.js';
import { essence } from '../assign/media-type.js';
import { isFeed, isPage, isScript, isStyle } from '../assign/defaults.js';
import { escapePattern } from '../assign/pattern.js';
import type { ChangeHistory } from '../release/change-history.js';
import { hasContentHash, hasVersion, hasVersionQuery } from '../site/names.js';
import type { SiteAnswer } from './page-load.js';
import { withHeader, type Visit } from './run-visits.js';
import type { KnownLoad } from './visit.js';

export type Risk =
  /** Its names change with its bytes. */
  | { readonly kind: 'named-by-content' }
  /** Their names or addresses carry a version that their author changes. */
  | { readonly kind: 'named-by-hand' }
  /** It has been what it is for longer than that. */
  | { readonly kind: 'unchanged'; readonly releases: number; readonly span: number }
  | { readonly kind: 'changes'; readonly changed: number; readonly releases: number; readonly every: number }
  /** Nobody knows yet how often it changes. */
  | { readonly kind: 'unknown' }
  /** A page may meet another version of it than it was made for: it needs a name with a hash. */
  | { readonly kind: 'needs-name' };

export interface Savings {
  readonly requests: number;
  readonly bytes: number;
  /** Computed. */
  readonly seconds: number;
}

export interface Advice {
  /** What objects the line is about: a media range or a pattern. */
  readonly matching: { readonly type: string } | { readonly to: string };
  /** Seconds; a year for what is named by its content. */
  readonly fresh: number;
  readonly saves: Savings;
  readonly risk: Risk;
}

interface Group {
  readonly matching: Advice['matching'];
  readonly members: ReadonlyMap<string, SiteAnswer>;
}

const HOUR = 3600;
const DAY = 86_400;
const LADDER = [HOUR, DAY, 10 * DAY, 30 * DAY, YEAR];
/** A copy may be used for this part of the time between two changes: most visitors then see each. */
const SAFE = 1 / 4;
const MAX_ADVICE = 8;

/** What pages are made to fit. */
const isCompanion = (type: string): boolean => isStyle(type) || isScript(type);

/**
 * @param run makes the same visits of what would be sent instead
 * @param visits as it is now
 */
export function adviseCaching(
  loads: readonly KnownLoad[],
  visits: readonly Visit[],
  history: ChangeHistory | undefined,
  run: (change: (answer: SiteAnswer) => SiteAnswer) => readonly Visit[],
): Advice[] {
  const now = costOf(visits);
  const advice: Advice[] = [];
  for (const group of groupAnswers(loads)) {
    const risky = riskOf(group, history);
    let best: Advice | undefined;
    for (const fresh of laddersFor(risky)) {
      const change = keepLonger(group, fresh);
      if (!change) continue;
      const then = costOf(run(change));
      const saves = {
        requests: now.requests - then.requests,
        bytes: now.bytes - then.bytes,
        seconds: Math.max(0, now.seconds - then.seconds),
      };
      const risk = riskAt(risky, fresh);
      if (!risk || saves.requests <= 0 || saves.bytes <= 0) continue;
      if (!best || saves.requests > best.saves.requests)
        best = { matching: group.matching, fresh, saves, risk };
    }
    if (best) advice.push(best);
  }
  return dropRepeats(advice.sort(byGain)).slice(0, MAX_ADVICE);
}

/** What would be sent with a line of advice. */
export function followAdvice(
  loads: readonly KnownLoad[],
  { matching, fresh }: Advice,
): (answer: SiteAnswer) => SiteAnswer {
  const id = JSON.stringify(matching);
  const group = groupAnswers(loads).find((each) => JSON.stringify(each.matching) === id);
  return (group && keepLonger(group, fresh)) ?? ((answer) => answer);
}

/** Undefined where it would change nothing. */
function keepLonger({ members }: Group, fresh: number): ((answer: SiteAnswer) => SiteAnswer) | undefined {
  const longer = new Set([...members.values()].filter((answer) => lifetimeOf(answer) < fresh));
  return longer.size === 0
    ? undefined
    : (answer) => (longer.has(answer) ? withHeader(answer, `max-age=${fresh}`) : answer);
}

/** A name with a hash is better than any lifetime without one. */
const needsName = ({ risk }: Advice): number => (risk.kind === 'needs-name' ? 1 : 0);

const byGain = (a: Advice, b: Advice): number =>
  needsName(b) - needsName(a) ||
  b.saves.seconds - a.saves.seconds ||
  b.saves.bytes - a.saves.bytes ||
  b.saves.requests - a.saves.requests;

/** Of lines that save the same the first stays: they are about the same objects. */
function dropRepeats(advice: readonly Advice[]): Advice[] {
  const seen = new Set<string>();
  return advice.filter(({ saves: { requests, bytes } }) => {
    const id = `${requests} ${bytes}`;
    return !seen.has(id) && seen.add(id);
  });
}

const costOf = (visits: readonly Visit[]): Savings =>
  visits
    .filter(({ kind }) => kind === 'return')
    .reduce(
      (sum, { totals }) => ({
        requests: sum.requests + totals.requests,
        bytes: sum.bytes + totals.bytes,
        seconds: sum.seconds + totals.seconds,
      }),
      { requests: 0, bytes: 0, seconds: 0 },
    );

const lifetimeOf = ({ status, headers }: SiteAnswer): number => {
  const { lifetime, by } = freshnessOf({ status, headers, at: 0 });
  return by === 'heuristic' ? 0 : lifetime;
};

/** By type and by the folder at the top: the two ways in which people write their rules. */
function groupAnswers(loads: readonly KnownLoad[]): Group[] {
  const groups = new Map<string, { matching: Advice['matching']; members: Map<string, SiteAnswer> }>();
  const put = (matching: Advice['matching'], url: string, answer: SiteAnswer): void => {
    const id = JSON.stringify(matching);
    let group = groups.get(id);
    if (!group) groups.set(id, (group = { matching, members: new Map() }));
    group.members.set(url, answer);
  };
  for (const { load, answers } of loads)
    for (const { url } of load.wanted) {
      const answer = answers.get(url);
      if (!answer) continue;
      const { key, status } = answer;
      const type = essence(fieldOf(answer.headers, 'Content-Type') ?? '');
      if (key === undefined || status !== 200 || type === '') continue;
      // A page that is kept shows yesterday's site.
      if (isPage(type) || isFeed(type)) continue;
      // What may never be kept is so for a reason.
      if (freshnessOf({ status, headers: answer.headers, at: 0 }).by === 'no-store') continue;
      put({ type: isCompanion(type) ? type : `${type.split('/')[0] ?? ''}/*` }, url, answer);
      if (key.includes('/')) put({ to: `${escapePattern(key.slice(0, key.indexOf('/')))}/**` }, url, answer);
    }
  return [...groups.values()];
}

interface GroupRisk {
  readonly isNamed: boolean;
  readonly byHand: boolean;
  readonly hasCompanions: boolean;
  readonly changed: number;
  readonly history: ChangeHistory | undefined;
}

/** Whether its name changes with its bytes. */
const isNamedByContent = ({ key, plain }: SiteAnswer): boolean =>
  key === undefined || plain !== undefined || hasContentHash(key);

/** Whether its name or its address carries a version. */
const isNamed = (answer: SiteAnswer, url: string): boolean =>
  isNamedByContent(answer) || hasVersion(answer.key ?? '') || hasVersionQuery(url);

function riskOf({ members }: Group, history: ChangeHistory | undefined): GroupRisk {
  const answers = [...members.values()];
  const named = [...members].filter(([url, answer]) => isNamed(answer, url)).map(([, answer]) => answer);
  const keys = answers.flatMap(({ key }) => (key === undefined ? [] : [key]));
  const releases = new Set(keys.flatMap((key) => [...(history?.changes.get(key) ?? [])]));
  return {
    isNamed: named.length === answers.length,
    byHand: named.some((answer) => !isNamedByContent(answer)),
    hasCompanions: answers.some(
      (answer) => isCompanion(fieldOf(answer.headers, 'Content-Type') ?? '') && !named.includes(answer),
    ),
    changed: releases.size,
    history,
  };
}

const laddersFor = ({ isNamed, hasCompanions }: GroupRisk): readonly number[] =>
  isNamed || hasCompanions ? [YEAR] : LADDER.slice(0, -1);

/** @returns undefined where what is known speaks against it */
function riskAt(
  { isNamed, byHand, hasCompanions, changed, history }: GroupRisk,
  fresh: number,
): Risk | undefined {
  if (isNamed) return { kind: byHand ? 'named-by-hand' : 'named-by-content' };
  if (hasCompanions) return { kind: 'needs-name' };
  if (!history || history.span === 0) return fresh <= DAY ? { kind: 'unknown' } : undefined;
  const { releases, span } = history;
  if (changed === 0) {
    if (fresh <= span) return { kind: 'unchanged', releases, span };
    return fresh <= DAY ? { kind: 'unknown' } : undefined;
  }
  const every = span / changed;
  return fresh <= every * SAFE ? { kind: 'changes', changed, releases, every } : undefined;
}
