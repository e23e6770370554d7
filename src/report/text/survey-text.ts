/** The survey for a terminal: every object when they are few, groups when they are many. */
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { ObjectGroup } from '../../core/site/groups.js';
import type { Finding } from '../../core/findings/finding.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { formatNames } from './format-names.js';
import { columns, visible, type Paint } from './paint.js';
import { countFindings, extentOf, formatFindings } from './findings-text.js';

export interface SurveyView {
  /** The folder, as written. */
  readonly site: string;
  readonly bucket: string;
  readonly destination: string;
  /** Asked for only when they are few enough to be listed. */
  readonly objects: () => readonly SurveyObject[];
  readonly groups: readonly ObjectGroup[];
  readonly findings: readonly Finding[];
  readonly leftOut: number;
  /** How many objects there are before any filter. */
  readonly all: number;
}

/** Up to this many objects each gets a line. */
const LISTED = 60;

/** @param inFull every object and every finding */
export function formatSurvey(view: SurveyView, paint: Paint, findingsOnly = false, inFull = false): string {
  const { groups } = view;
  const count = groups.reduce((sum, group) => sum + group.count, 0);
  const bytes = groups.reduce((sum, group) => sum + group.bytes, 0);
  const filtered = count === view.all ? '' : ` of ${formatCount(view.all)}`;
  const head = `${paint.strong(`${formatCount(count)}${filtered} ${count === 1 ? 'object' : 'objects'}`)}, ${formatBytes(bytes)}, from ${visible(view.site)} for ${paint.strong(view.bucket)} (${view.destination})`;
  const left =
    view.leftOut > 0 ? paint.soft(`\n${countOf(view.leftOut, 'dot or system file')} left out`) : '';
  const listed = inFull || count <= LISTED;
  const body = findingsOnly
    ? []
    : listed
      ? [formatList(view.objects(), paint)]
      : [formatByType(groups, paint), formatByCache(groups, paint)];
  const findings =
    view.findings.length > 0
      ? [
          `${paint.strong('Findings')}: ${countFindings(view.findings)}\n${formatFindings(view.findings, paint, extentOf(inFull))}`,
        ]
      : [
          `${paint.good('No findings.')} ${paint.soft(`This looks at files, types, headers and who may read them; ${paint.command('check --unpublished')} looks at references too.`)}`,
        ];
  return [head + left, ...body, ...findings].join('\n\n');
}

function formatList(objects: readonly SurveyObject[], paint: Paint): string {
  if (objects.length === 0) return paint.soft('  No object matches.');
  const rows = objects.map(({ key, plain, size, headers, decision, public: open }) => [
    paint.place(formatNames({ key, plain })),
    formatBytes(size),
    (headers['Content-Type'] === undefined ? paint.warn('none') : visible(headers['Content-Type'])) +
      (decision.encoding ? ` · ${decision.encoding}` : ''),
    decision.cacheWords,
    open ? 'anyone' : paint.warn('nobody'),
  ]);
  return columns(
    [['key', 'size', 'content type', 'caching', 'readable by'].map(paint.soft), ...rows],
    [1],
    paint.width,
    0,
  );
}

type Named = Pick<ObjectGroup, 'count' | 'bytes' | 'examples'>;

/** Brings groups of the same name together, the largest first. */
function groupBy(groups: readonly ObjectGroup[], nameOf: (group: ObjectGroup) => string): [string, Named][] {
  const named = new Map<string, Named>();
  for (const group of groups) {
    const name = nameOf(group);
    const known = named.get(name) ?? { count: 0, bytes: 0, examples: [] };
    named.set(name, {
      count: known.count + group.count,
      bytes: known.bytes + group.bytes,
      examples: [...known.examples, ...group.examples].slice(0, 2),
    });
  }
  return [...named].sort(([, a], [, b]) => b.count - a.count);
}

function formatGroups(title: string, groups: [string, Named][], paint: Paint): string {
  const shown = groups.slice(0, 20);
  const rows = shown.map(([name, { count, bytes, examples }]) => [
    formatCount(count),
    formatBytes(bytes),
    visible(name),
    paint.soft(visible(examples.join(', '))),
  ]);
  const more = groups.length > shown.length ? paint.soft(`\n  and ${groups.length - shown.length} more`) : '';
  return (
    columns([['objects', 'bytes', title, 'such as'].map(paint.soft), ...rows], [0, 1], paint.width) + more
  );
}

const formatByType = (groups: readonly ObjectGroup[], paint: Paint): string =>
  formatGroups(
    'content type',
    groupBy(groups, ({ contentType }) => contentType || '(none)'),
    paint,
  );

const formatByCache = (groups: readonly ObjectGroup[], paint: Paint): string =>
  formatGroups(
    'caching, and what decided it',
    groupBy(
      groups,
      ({ cacheWords, cacheBy, public: open }) => `${cacheWords} · ${cacheBy}${open ? '' : ' · not public'}`,
    ),
    paint,
  );
