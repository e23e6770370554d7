/** Findings for a terminal: one entry a rule; in it what, where, and the cure on a line of its own. */
import { countOf, formatCount } from '../../core/words/counts.js';
import type { Finding } from '../../core/findings/finding.js';
import { paintLevel, visible, type Paint } from './paint.js';

const MOST_MESSAGES = 3;
const MOST_PLACES = 3;

const groupBy = (findings: readonly Finding[], by: (finding: Finding) => string): Finding[][] => {
  const groups = new Map<string, Finding[]>();
  for (const finding of findings) {
    const group = groups.get(by(finding));
    if (group) group.push(finding);
    else groups.set(by(finding), [finding]);
  }
  return [...groups.values()];
};

export function formatFindings(findings: readonly Finding[], paint: Paint, most = 12): string {
  const rules = groupBy(findings, ({ rule }) => rule);
  const shown = rules.slice(0, most).map((group) => formatRule(group, paint));
  if (rules.length > most)
    shown.push(
      paint.soft(`  and ${countOf(rules.length - most, 'more kind')} of findings; --json lists them all`),
    );
  return shown.join('\n');
}

function formatRule(group: readonly Finding[], paint: Paint): string {
  const [first] = group;
  if (!first) return '';
  const messages = groupBy(group, ({ message }) => message);
  const lines = messages.slice(0, MOST_MESSAGES).map((same, at, shown) => {
    // Places that share a cure have it once, after the last of them.
    const next = shown[at + 1]?.[0];
    return formatMessage(same, next?.fix !== same[0]?.fix, paint);
  });
  const rest = messages.slice(MOST_MESSAGES).flat().length;
  if (rest > 0) lines.push(paint.soft(`    and ${formatCount(rest)} more like these`));
  return [`  ${paintLevel(paint, first.level)} ${paint.soft(first.rule)}`, ...lines].join('\n');
}

function formatMessage(same: readonly Finding[], withFix: boolean, paint: Paint): string {
  const [first] = same;
  if (!first) return '';
  const places = same
    .slice(0, MOST_PLACES)
    .map(placeOf)
    .filter((each) => each !== '');
  const more = same.length > MOST_PLACES ? ` and ${countOf(same.length - MOST_PLACES, 'other')}` : '';
  const where = places.length > 0 ? `${paint.place(visible(places.join(', ')))}${more}: ` : '';
  const cure = withFix ? `\n    ${paint.soft('cure:')} ${visible(first.fix)}` : '';
  return `    ${where}${visible(first.message)}${cure}`;
}

/** Where a finding is: a file and its line, or a line of the config. */
export const placeOf = ({ key, line }: Finding): string =>
  key === undefined
    ? line === undefined
      ? ''
      : `fenestra.yaml line ${line}`
    : line === undefined
      ? key
      : `${key}:${line}`;

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
