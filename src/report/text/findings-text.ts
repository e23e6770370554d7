/** Findings for a terminal: what, where, and the cure on a line of its own. */
import { countOf } from '../../core/site/format-bytes.js';
import type { Finding } from '../../core/site/site-object.js';
import { paintLevel, visible, type Paint } from './paint.js';

/** Findings of one rule with the same message are one entry. */
const MOST_PLACES = 3;

export function formatFindings(findings: readonly Finding[], paint: Paint, most = 12): string {
  const groups = new Map<string, Finding[]>();
  for (const finding of findings) {
    const id = `${finding.rule}\0${finding.message}`;
    groups.set(id, [...(groups.get(id) ?? []), finding]);
  }
  const shown = [...groups.values()].slice(0, most).map((group) => formatGroup(group, paint));
  if (groups.size > most)
    shown.push(
      paint.soft(`  and ${countOf(groups.size - most, 'more kind')} of findings; --json lists them all`),
    );
  return shown.join('\n');
}

function formatGroup(group: readonly Finding[], paint: Paint): string {
  const [first] = group;
  if (!first) return '';
  const places = group
    .slice(0, MOST_PLACES)
    .map(placeOf)
    .filter((each) => each !== '');
  const more = group.length > MOST_PLACES ? ` and ${countOf(group.length - MOST_PLACES, 'other')}` : '';
  const where = places.length > 0 ? `${paint.place(visible(places.join(', ')))}${more}: ` : '';
  return [
    `  ${paintLevel(paint, first.level)} ${paint.soft(first.rule)}`,
    `    ${where}${visible(first.message)}`,
    `    ${paint.soft('cure:')} ${visible(first.fix)}`,
  ].join('\n');
}

const placeOf = ({ key, line }: Finding): string =>
  key === undefined
    ? line === undefined
      ? ''
      : `fenestra.yaml line ${line}`
    : line === undefined
      ? key
      : `${key}:${line}`;

/** `2 errors, 1 warning`, or `no findings`. */
export function countFindings(findings: readonly Finding[]): string {
  const parts = (['error', 'warning', 'note'] as const)
    .map((level) => [level, findings.filter((finding) => finding.level === level).length] as const)
    .filter(([, count]) => count > 0)
    .map(([level, count]) => countOf(count, level));
  return parts.length > 0 ? parts.join(', ') : 'no findings';
}
