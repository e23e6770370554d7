/** The same visits under other circumstances, beside those that were asked for. */
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { pathOf } from '../../core/words/path-of.js';
import type { Visit } from '../../core/visiting/run-visits.js';
import type { OtherVisits, VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { RequestDifference, RequestSide } from '../../core/visiting/what-if.js';
import { columns, visible, type Paint } from './paint.js';
import { describeWhy } from './request-reason-text.js';
import { visitLabel } from './visit-label.js';
import { wrapLines } from './wrap.js';

/** Differences that are listed of one visit. */
const MAX_SHOWN = 12;

/** What is visited instead: `release 3 with 1 line more`. */
export function describeOther({ release, lines }: Pick<OtherVisits, 'release' | 'lines'>): string {
  const added =
    lines.length === 0 ? '' : `with ${lines.length === 1 ? 'the line' : countOf(lines.length, 'line')} more`;
  return [release === undefined ? 'the same' : `release ${release}`, added].filter(Boolean).join(' ');
}

export const describeVisited = ({ endpoint, release }: Pick<VisitOutcome, 'endpoint' | 'release'>): string =>
  endpoint !== undefined
    ? 'as it answers now'
    : release === undefined
      ? 'the site folder'
      : `release ${release}`;

export function formatWhatIf(visited: VisitOutcome, paint: Paint): string {
  const { other } = visited;
  if (!other) return '';
  const lines = other.lines.map((line) => `  ${paint.strong(visible(line))}`);
  return [
    [`${paint.strong('What if')}: ${describeVisited(visited)} beside ${describeOther(other)}`, ...lines].join(
      '\n',
    ),
    sideBySide(visited, other, paint),
    formatDifferences(visited, other, paint),
  ].join('\n');
}

/** `−12`, `+3`, or nothing where they are the same. */
export function signed(difference: number, shown: (value: number) => string): string {
  if (difference === 0) return '';
  return `${difference < 0 ? '−' : '+'}${shown(Math.abs(difference))}`;
}

function sideBySide({ visits }: VisitOutcome, { site }: OtherVisits, paint: Paint): string {
  const head = ['', 'requests', '', '', 'bytes', '', '', 'seconds', ''];
  const seconds = (value: number): string => value.toFixed(2);
  const rows = visits.flatMap((visit, at) => {
    const then = site.visits[at]?.totals;
    if (!then) return [];
    const was = visit.totals;
    const both = (a: number, b: number, shown: (value: number) => string): string[] => {
      const change = shown(Math.abs(b - a)) === shown(0) ? '' : signed(b - a, shown);
      return [shown(a), `→ ${shown(b)}`, b < a ? paint.good(change) : paint.warn(change)];
    };
    return [
      [
        visitLabel(visit),
        ...both(was.requests, then.requests, formatCount),
        ...both(was.bytes, then.bytes, formatBytes),
        ...both(was.seconds, then.seconds, seconds),
      ],
    ];
  });
  return columns([head.map(paint.soft), ...rows], [1, 3, 4, 6, 7, 9], paint.width);
}

function formatDifferences(visited: VisitOutcome, other: OtherVisits, paint: Paint): string {
  const parts = visited.visits.flatMap((visit) => {
    const own = other.differences.filter(({ kind, after }) => kind === visit.kind && after === visit.after);
    return own.length === 0 ? [] : [`\n${formatVisit(visit, own, paint)}`];
  });
  if (parts.length > 0) return parts.join('\n');
  return wrapLines('\nEvery request is the same.', paint.width);
}

function formatVisit(visit: Visit, differences: readonly RequestDifference[], paint: Paint): string {
  const pages = new Set(differences.map(({ page }) => page));
  const rows = differences
    .slice(0, MAX_SHOWN)
    .map(({ page, url, was, becomes }) => [
      ...(pages.size > 1 ? [paint.soft(visible(pathOf(page)))] : []),
      visible(pathOf(url)),
      sideOf(was, paint),
      `→ ${sideOf(becomes, paint)}`,
      paint.soft(becomes ? visible(describeWhy(becomes.why, undefined)) : ''),
    ]);
  const more = differences.length - MAX_SHOWN;
  const rest = more > 0 ? `\n  ${paint.soft(`and ${countOf(more, 'other')}; --json has them all`)}` : '';
  return `${paint.strong(visitLabel(visit))}: ${countOf(differences.length, 'request')} otherwise\n${columns(rows, [], paint.width)}${rest}`;
}

const sideOf = (side: RequestSide | undefined, paint: Paint): string => {
  if (!side) return paint.soft('not asked for');
  if (side.from === 'cache') return paint.good('cache');
  return side.from === 'revalidated' ? paint.place('304') : `${side.status ?? ''} ${formatBytes(side.bytes)}`;
};
