/** The survey for a terminal: every object when they are few, groups when they are many. */
import { countOf, formatBytes, formatCount } from '../../core/site/format-bytes.js';
import type { Decision } from '../../core/assign/cascade.js';
import type { Finding } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { columns, shorten, visible, type Paint } from './paint.js';
import { countFindings, formatFindings } from './findings-text.js';

export interface SurveyView {
  /** The folder, as written. */
  readonly site: string;
  readonly bucket: string;
  readonly destination: string;
  readonly objects: readonly SurveyObject[];
  readonly findings: readonly Finding[];
  readonly leftOut: number;
  /** How many objects there are before any filter. */
  readonly all: number;
}

/** Up to this many objects each gets a line. */
const LISTED = 60;

export function formatSurvey(view: SurveyView, paint: Paint, findingsOnly = false): string {
  const { objects } = view;
  const bytes = objects.reduce((sum, { size }) => sum + size, 0);
  const filtered = objects.length === view.all ? '' : ` of ${formatCount(view.all)}`;
  const head = `${paint.strong(`${formatCount(objects.length)}${filtered} ${objects.length === 1 ? 'object' : 'objects'}`)}, ${formatBytes(bytes)}, from ${visible(view.site)} for ${paint.strong(view.bucket)} (${view.destination})`;
  const left =
    view.leftOut > 0 ? paint.soft(`\n${countOf(view.leftOut, 'dot or system file')} left out`) : '';
  const body = findingsOnly
    ? []
    : objects.length <= LISTED
      ? [formatList(objects, paint)]
      : [formatByType(objects, paint), formatByCache(objects, paint)];
  const findings =
    view.findings.length > 0
      ? [
          `${paint.strong('Findings')}: ${countFindings(view.findings)}\n${formatFindings(view.findings, paint)}`,
        ]
      : [paint.good('No findings.')];
  return [head + left, ...body, ...findings].join('\n\n');
}

function formatList(objects: readonly SurveyObject[], paint: Paint): string {
  if (objects.length === 0) return paint.soft('  No object matches.');
  const types = Math.max(12, ...objects.map(({ headers }) => (headers['Content-Type'] ?? '').length));
  const words = Math.max(7, ...objects.map(({ decision }) => decision.cacheWords.length));
  const room = Math.max(24, paint.width - types - words - 32);
  const rows = objects.map(({ key, size, headers, decision, public: open }) => [
    paint.place(visible(shorten(key, room))),
    formatBytes(size),
    visible(headers['Content-Type'] ?? paint.warn('none')) +
      (decision.encoding ? ` · ${decision.encoding}` : ''),
    decision.cacheWords,
    open ? 'anyone' : paint.warn('nobody'),
  ]);
  return columns([['key', 'size', 'content type', 'caching', 'readable by'].map(paint.soft), ...rows], [1]);
}

interface Group {
  count: number;
  bytes: number;
  readonly examples: string[];
}

/** Groups by name; a name is made once for each decision, of which a site has few. */
function groupBy(
  objects: readonly SurveyObject[],
  nameOf: (object: SurveyObject) => string,
): [string, Group][] {
  const groups = new Map<string, Group>();
  const byDecision = new Map<Decision, [readable?: Group, barred?: Group]>();
  for (const object of objects) {
    let slots = byDecision.get(object.decision);
    if (!slots) byDecision.set(object.decision, (slots = []));
    const slot = object.public ? 0 : 1;
    let group = slots[slot];
    if (!group) {
      const name = nameOf(object);
      group = groups.get(name);
      if (!group) groups.set(name, (group = { count: 0, bytes: 0, examples: [] }));
      slots[slot] = group;
    }
    group.count++;
    group.bytes += object.size;
    if (group.examples.length < 2) group.examples.push(object.key);
  }
  return [...groups].sort(([, a], [, b]) => b.count - a.count);
}

function formatGroups(title: string, groups: [string, Group][], paint: Paint): string {
  const shown = groups.slice(0, 20);
  const rows = shown.map(([name, { count, bytes, examples }]) => [
    formatCount(count),
    formatBytes(bytes),
    visible(shorten(name, 44)),
    paint.soft(visible(shorten(examples.join(', '), Math.max(20, paint.width - 70)))),
  ]);
  const more = groups.length > shown.length ? paint.soft(`\n  and ${groups.length - shown.length} more`) : '';
  return columns([['objects', 'bytes', title, 'such as'].map(paint.soft), ...rows], [0, 1]) + more;
}

const formatByType = (objects: readonly SurveyObject[], paint: Paint): string =>
  formatGroups(
    'content type',
    groupBy(objects, ({ headers }) => headers['Content-Type'] ?? '(none)'),
    paint,
  );

const formatByCache = (objects: readonly SurveyObject[], paint: Paint): string =>
  formatGroups(
    'caching, and what decided it',
    groupBy(
      objects,
      ({ decision, public: open }) =>
        `${decision.cacheWords} · ${decision.decidedBy.cache?.by ?? 'nothing'}${open ? '' : ' · not public'}`,
    ),
    paint,
  );
