/** Findings for a terminal: one entry a rule; in it what, where, and the cure on a line of its own. */
import { countOf, formatCount } from '../../core/words/counts.js';
import type { Finding, FindingLocation } from '../../core/findings/finding.js';
import { paintLevel, visible, type Paint } from './paint.js';

/** How much of the findings is shown; `IN_FULL` leaves nothing out. */
export interface Extent {
  readonly rules: number;
  readonly messages: number;
  readonly places: number;
}

const IN_SHORT: Extent = { rules: 12, messages: 3, places: 3 };
const IN_FULL: Extent = { rules: Infinity, messages: Infinity, places: Infinity };

/** @param rules how many rules are shown where not everything is */
export const extentOf = (inFull: boolean, rules = IN_SHORT.rules): Extent =>
  inFull ? IN_FULL : { ...IN_SHORT, rules };

const groupBy = (findings: readonly Finding[], by: (finding: Finding) => string): Finding[][] => {
  const groups = new Map<string, Finding[]>();
  for (const finding of findings) {
    const group = groups.get(by(finding));
    if (group) group.push(finding);
    else groups.set(by(finding), [finding]);
  }
  return [...groups.values()];
};

export function formatFindings(
  findings: readonly Finding[],
  paint: Paint,
  extent: Extent = IN_SHORT,
): string {
  const rules = groupBy(findings, ({ rule }) => rule);
  const shown = rules.slice(0, extent.rules).map((group) => formatRule(group, extent, paint));
  const more = rules.length - extent.rules;
  if (more > 0) shown.push(paint.soft(`  and ${countOf(more, 'more kind')} of findings`));
  if (isCut(rules, extent)) shown.push(paint.soft('  --in-full lists every finding with every place'));
  return shown.join('\n');
}

const isCut = (rules: readonly Finding[][], { rules: most, messages, places }: Extent): boolean =>
  rules.length > most ||
  rules.some((group) => {
    const same = groupBy(group, ({ message }) => message);
    return same.length > messages || same.some((each) => allPlaces(each).length > places);
  });

function formatRule(group: readonly Finding[], extent: Extent, paint: Paint): string {
  const [first] = group;
  if (!first) return '';
  const messages = groupBy(group, ({ message }) => message);
  const lines = messages.slice(0, extent.messages).map((same, at, shown) => {
    // Places that share a cure have it once, after the last of them.
    const next = shown[at + 1]?.[0];
    return formatMessage(same, next?.fix !== same[0]?.fix, extent, paint);
  });
  const rest = messages.slice(extent.messages).flat().length;
  if (rest > 0) lines.push(paint.soft(`    and ${formatCount(rest)} more like these`));
  return [`  ${paintLevel(paint, first.level)} ${paint.soft(first.rule)}`, ...lines].join('\n');
}

function formatMessage(same: readonly Finding[], withFix: boolean, extent: Extent, paint: Paint): string {
  const [first] = same;
  if (!first) return '';
  const places = allPlaces(same);
  const cure = withFix ? `\n    ${paint.soft('cure:')} ${visible(first.fix)}` : '';
  const message = visible(first.message);
  const written = (each: Partial<FindingLocation & Finding>): string => paint.place(visible(placeOf(each)));
  // Many places are a list: a line each can be searched, sorted and counted.
  if (places.length > IN_SHORT.places && places.length <= extent.places)
    return [`    ${message}`, ...places.map((each) => `      ${written(each)}`)].join('\n') + cure;
  const shown = places.slice(0, extent.places).map(written).join(', ');
  const more = places.length - extent.places;
  const others = more > 0 ? ` and ${countOf(more, 'other')}` : '';
  return `    ${shown === '' ? '' : `${shown}${others}: `}${message}${cure}`;
}

const allPlaces = (same: readonly Finding[]): Partial<FindingLocation & Finding>[] =>
  same.flatMap((finding) => [finding, ...(finding.elsewhere ?? [])]).filter(isSomewhere);

const isSomewhere = ({ key, line }: Partial<FindingLocation>): boolean =>
  key !== undefined || line !== undefined;

/** Where a finding is: a file and its line, or a line of the config. */
export const placeOf = ({
  key,
  line,
  publishedAs,
  file = 'config',
}: Partial<FindingLocation & Finding>): string =>
  key === undefined
    ? line === undefined
      ? ''
      : `${file} line ${line}`
    : `${publishedAs === undefined ? key : `${key} → ${publishedAs}`}${line === undefined ? '' : `:${line}`}`;

/** What a check found, in a few words: `2 errors and 3 wrong answers`. */
export function describeOutcome({
  findings,
  failures,
}: {
  readonly findings: readonly Finding[];
  readonly failures: readonly unknown[];
}): string {
  const wrong = failures.length > 0 ? ` and ${countOf(failures.length, 'wrong answer')}` : '';
  return `${countFindings(findings)}${wrong}`;
}

/** `2 errors, 1 warning`, or `no findings`. */
export function countFindings(findings: readonly Finding[]): string {
  const parts = (['error', 'warning', 'note'] as const)
    .map((level) => [level, findings.filter((finding) => finding.level === level).length] as const)
    .filter(([, count]) => count > 0)
    .map(([level, count]) => countOf(count, level));
  return parts.length > 0 ? parts.join(', ') : 'no findings';
}
