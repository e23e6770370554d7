/** Visits for a terminal: a line a visit, and in full a line a response. */
import { describeExactness } from '../../core/visiting/describe-exactness.js';
import type { Unknown } from '../../core/visiting/page-load.js';
import type { Visit } from '../../core/visiting/run-visits.js';
import type { TimeOut } from '../../core/visiting/time-out.js';
import type { VisitedResponse } from '../../core/visiting/visit.js';
import { pathOf } from '../../core/words/path-of.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { formatTooLong } from './stale-text.js';
import { adviceLine, describeRisk } from './advice-text.js';
import { columns, visible, type Paint } from './paint.js';
import { formatBudgets } from './budget-text.js';
import { LABELS, visitLabel } from './visit-label.js';
import { formatWhatIf } from './what-if-text.js';
import { describeWhy, roughly } from './request-reason-text.js';
import { wrapLines } from './wrap.js';

export interface VisitShown {
  /** As they were given. */
  readonly connection: string;
  readonly viewport: string;
  readonly inFull: boolean;
}

const BAR = 16;
/** Columns of a terminal that have room for bars, and for what there would be without headers. */
const [WITH_BARS, WITH_BOTH] = [72, 100];

export function formatVisits(visited: VisitOutcome, shown: VisitShown, paint: Paint): string {
  return [
    heading(visited, shown, paint),
    table(visited, paint),
    formatGuess(visited, paint),
    formatPages(visited, shown, paint),
    formatWhatIf(visited, paint),
    formatBudgets(visited, paint),
    ...(shown.inFull ? visited.visits.map((visit) => formatResponses(visit, visited, paint)) : []),
    wrapLines(formatTooLong(visited.keptTooLong, paint), paint.width),
    formatAdvice(visited, paint),
    formatUnknown(visited.unknown, paint),
    formatBrowsed(visited, paint),
  ]
    .filter((part) => part !== '')
    .join('\n\n');
}

const MAX_FAILED = 5;

/** Pages that are not there, or that nobody may read; or addresses of an app with the status of what is missing. */
function failedPages({ loads }: VisitOutcome, ofApp: boolean): string[] {
  return loads.flatMap(({ load, answers }) => {
    const answer = answers.get(load.url);
    const status = answer?.status ?? 0;
    return status >= 400 && (answer?.ofApp ?? false) === ofApp
      ? [`${visible(pathOf(load.url))} answers ${status}`]
      : [];
  });
}

function heading(visited: VisitOutcome, shown: VisitShown, paint: Paint): string {
  const { bucket, endpoint, release, paths, closed } = visited;
  const [first = '/'] = paths;
  const pages =
    paths.length === 1
      ? visible(first)
      : `a walk over ${countOf(paths.length, 'page')} from ${visible(first)}`;
  const state =
    endpoint !== undefined
      ? 'as it answers now'
      : release === undefined
        ? 'the site folder as it would be published'
        : `release ${release}`;
  const note = (failed: readonly string[], get: string): string => {
    const more =
      failed.length > MAX_FAILED ? ` and ${countOf(failed.length - MAX_FAILED, 'other page')}` : '';
    return failed.length === 0
      ? ''
      : `${paint.warn(failed.slice(0, MAX_FAILED).join(', '))}${more}: visitors get ${get}.`;
  };
  const notes = [
    paint.soft(describeExactness(visited.unknown, shown.connection, shown.viewport)),
    closed ? paint.warn('The bucket is closed: this is what visitors will get once it is open.') : '',
    note(failedPages(visited, false), 'the error page'),
    note(failedPages(visited, true), 'the app, and search engines leave it out'),
  ];
  const title = `${paint.strong(visible(bucket ?? endpoint ?? ''))}, ${state}: ${pages}`;
  return wrapLines([title, ...notes.filter(Boolean)].join('\n'), paint.width);
}

function table({ visits, withoutHeaders }: VisitOutcome, paint: Paint): string {
  const longest = Math.max(...visits.map(({ totals }) => totals.seconds), 0.001);
  const head = ['', 'requests', '304', 'cache', 'bytes', 'seconds', '', 'without headers'];
  const rows = visits.map((visit, at) => {
    const { requests, revalidated, fromCache, bytes, seconds } = visit.totals;
    const plain = withoutHeaders[at]?.totals;
    return [
      // A reload stands below the return that it follows.
      visit.kind === 'reload' || visit.kind === 'forced' ? `  ${LABELS[visit.kind]}` : visitLabel(visit),
      formatCount(requests),
      formatCount(revalidated),
      formatCount(fromCache),
      formatBytes(bytes),
      seconds.toFixed(2),
      paint.place('█'.repeat(Math.max(seconds > 0 ? 1 : 0, Math.round((seconds / longest) * BAR)))),
      plain && visit.kind !== 'first'
        ? paint.soft(`${countOf(plain.requests, 'request')}, ${formatBytes(plain.bytes)}`)
        : '',
    ];
  });
  const room = paint.width < WITH_BARS ? 6 : paint.width < WITH_BOTH ? 7 : 8;
  const table = [head.map(paint.soft), ...rows].map((row) => row.slice(0, room));
  return columns(table, [1, 2, 3, 4, 5], paint.width);
}

/** Of a walk, a line for each page. */
function formatPages({ visits, paths }: VisitOutcome, { inFull }: VisitShown, paint: Paint): string {
  if (!inFull || paths.length < 2) return '';
  return visits
    .map((visit) => {
      const head = [visitLabel(visit), 'requests', '304', 'cache', 'bytes', 'seconds'];
      const rows = visit.pages.map(({ page, totals }) => [
        visible(pathOf(page)),
        formatCount(totals.requests),
        formatCount(totals.revalidated),
        formatCount(totals.fromCache),
        formatBytes(totals.bytes),
        totals.seconds.toFixed(2),
      ]);
      return columns([head.map(paint.soft), ...rows], [1, 2, 3, 4, 5], paint.width, 0);
    })
    .join('\n\n');
}

/** Without headers less may be asked for, and for no good reason. */
function formatGuess({ withoutHeaders, timeOut }: VisitOutcome, paint: Paint): string {
  // A narrow terminal has no column for them.
  const isShown = withoutHeaders.length > 1 && paint.width >= WITH_BOTH;
  return isShown ? wrapLines(paint.soft(describeGuess(timeOut)), paint.width) : '';
}

/** What stands behind the column of visits without headers. */
export function describeGuess({ seconds, by }: TimeOut): string {
  const out =
    by === 'now'
      ? 'Reckoned as the site is now'
      : by === 'history'
        ? `Reckoned for a release that is out for ${roughly(seconds)}, the median of this site's history`
        : `Reckoned for a release that is out for ${roughly(seconds)}, as this site has no history yet`;
  return `Without headers browsers guess: for a tenth of the time for which nothing changed they ask nobody, and show what is old by then. ${out}.`;
}

function formatResponses(visit: Visit, visited: VisitOutcome, paint: Paint): string {
  const parts = [paint.strong(visitLabel(visit))];
  let page = '';
  let rows: string[][] = [];
  const flush = (): void => {
    if (rows.length > 0) parts.push(columns(rows, [0, 1], paint.width));
    rows = [];
  };
  for (const response of visit.responses) {
    if (response.page !== page && visited.paths.length > 1) {
      flush();
      parts.push(paint.soft(visible(pathOf(response.page))));
    }
    ({ page } = response);
    rows.push([
      wordFor(response, paint),
      response.from === 'cache' ? '' : formatBytes(response.bytes),
      showPath(response.url, visited.plainOf(response.url)),
      paint.soft(
        `${visible(describeWhy(response.why, visited.ruleOf(response.url)))}${response.seen ? '; seen in a browser' : ''}`,
      ),
    ]);
  }
  flush();
  return parts.join('\n');
}

const wordFor = ({ from, status }: VisitedResponse, paint: Paint): string =>
  from === 'cache'
    ? paint.good('cache')
    : from === 'revalidated'
      ? paint.place('304')
      : (status ?? 0) >= 400
        ? paint.bad(String(status))
        : String(status);

function formatAdvice({ advice, advisedOn, loads }: VisitOutcome, paint: Paint): string {
  if (advice.length === 0) return '';
  const sample = advisedOn < loads.length ? `, on ${countOf(advisedOn, 'page')} of them` : '';
  const lines = advice.map((each) => {
    const { requests, bytes, seconds } = each.saves;
    const saves = `saves ${countOf(requests, 'request')}, ${formatBytes(bytes)}${seconds >= 0.005 ? `, ${seconds.toFixed(2)} s` : ''}`;
    return `  ${paint.strong(visible(adviceLine(each)))}\n      ${saves}\n      ${paint.soft(`risk: ${describeRisk(each)}`)}`;
  });
  return wrapLines(
    `What one line of the config would save on all returns together${sample} ${paint.soft('(with a dash: under assign:)')}\n${lines.join('\n')}`,
    paint.width,
  );
}

/** What nobody can know of the visits; '' where that is nothing. */
export function describeUnknown({
  scripts,
  lazy,
  media,
  elsewhere,
  elsewhereRequests,
  others,
}: Unknown): string {
  const hosts = elsewhere.slice(0, 5).map(visible).join(', ');
  return [
    scripts > 0 ? `${countOf(scripts, 'script')}, which may ask for more` : '',
    lazy > 0 ? `${countOf(lazy, 'picture')} further down, whose places were estimated` : '',
    media > 0
      ? `${countOf(media, 'film or sound', 'films or sounds')}, of which a browser reads as much as it likes`
      : '',
    elsewhere.length > 0
      ? `${countOf(elsewhereRequests, 'request')} to ${hosts}${elsewhere.length > 5 ? ' and others' : ''}`
      : '',
    others.length > 0
      ? `what is loaded by ${others.slice(0, 5).map(visible).join(', ')}${others.length > 5 ? ' and others' : ''}`
      : '',
  ]
    .filter(Boolean)
    .join('; ');
}

function formatUnknown(unknown: Unknown, paint: Paint): string {
  const words = describeUnknown(unknown);
  if (words === '') return '';
  return wrapLines(`${paint.soft('Not known without running the pages:')} ${words}.`, paint.width);
}

function formatBrowsed(outcome: VisitOutcome, paint: Paint): string {
  const { browsed } = outcome;
  if (!browsed) return '';
  const denied = (browsed.denied ?? []).map(({ what, times }) => countOf(times, what));
  const kept =
    denied.length === 0
      ? ''
      : `\n${paint.soft(wrapLines(`Denied to the pages: ${denied.join(', ')}.`, paint.width))}`;
  const learned =
    browsed.learned === 0
      ? ''
      : `\n${paint.soft(wrapLines(`What only a browser can tell of ${countOf(browsed.learned, 'page')} is remembered: from now on it counts, until the page, a style or a script of it changes.`, paint.width))}`;
  return formatAsked(browsed, paint) + learned + kept;
}

function formatAsked(browsed: NonNullable<VisitOutcome['browsed']>, paint: Paint): string {
  const { version, visits, differences } = browsed;
  const asked = visits.reduce(
    (sum, { pages }) => sum + pages.reduce((all, { requests }) => all + requests.length, 0),
    0,
  );
  if (differences.length === 0)
    return `${paint.good('✓')} ${visible(version)} asked the same: ${countOf(asked, 'request')} in ${countOf(visits.length, 'visit')}`;
  const rows = differences.map(({ kind, after, page, target, model, browser, byScript }) => [
    visitLabel({ kind, after }),
    visible(pathOf(page)),
    visible(target),
    paint.place(String(model ?? 'nothing')),
    paint.bad(`${browser ?? 'nothing'}${byScript ? ', by a script' : ''}`),
  ]);
  const head = ['visit', 'page', 'address', 'model', 'browser'].map(paint.soft);
  return `${paint.bad('✗')} ${visible(version)} did otherwise in ${countOf(differences.length, 'request')} of ${formatCount(asked)}\n${columns([head, ...rows], [], paint.width)}`;
}

/** By both names, where it has two. */
const showPath = (url: string, plain: string | undefined): string =>
  plain === undefined ? visible(pathOf(url)) : `${visible(`/${plain}`)} → ${visible(pathOf(url))}`;
