/** Visits as one page that needs nothing else: a table, two plots, and a time line for each load. */
import { describeExcess } from '../../core/visiting/describe-budget.js';
import { describeExactness } from '../../core/visiting/describe-exactness.js';
import type { Visit } from '../../core/visiting/run-visits.js';
import type { VisitedResponse } from '../../core/visiting/visit.js';
import { pathOf } from '../../core/words/path-of.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { describeTooLong } from '../text/stale-text.js';
import { adviceLine, describeRisk } from '../text/advice-text.js';
import { visitLabel } from '../text/visit-label.js';
import { describeGuess, describeUnknown } from '../text/visit-text.js';
import { describeOther } from '../text/what-if-text.js';
import { describeWhy } from '../text/request-reason-text.js';
import { renderBarPlot, type Bar } from './bar-plot.js';
import { openPage, text, timeOf } from './page.js';
import { FILTER_STYLE, renderFilters, rowMarks } from './visit-filters.js';
import { whatIfPart } from './what-if-part.js';

export interface VisitPageContext {
  /** As they were given. */
  readonly connection: string;
  readonly viewport: string;
  /** Milliseconds since the epoch. */
  readonly when: number;
}

/** Of a long walk the first loads are drawn. */
const MAX_LOADS = 60;
const MAX_ROWS = 120;
const [WIDE, NARROW] = [540, 330];

const STYLE = `
.loads details{background:var(--card);border:1px solid var(--line);border-radius:8px;padding:8px 16px;margin:0 0 10px;break-inside:avoid}
.loads summary{font-size:15.5px;font-weight:650;color:var(--ink)}.loads summary span{color:var(--soft);font-weight:400}
.key{display:flex;flex-wrap:wrap;gap:4px 20px;color:var(--soft);font-size:14px;margin:0 0 10px;padding:0;list-style:none}
.key i{display:inline-block;width:26px;height:11px;border-radius:3px;margin-right:6px;vertical-align:-1px}
.line{table-layout:fixed;margin-top:6px}.line th,.line td{padding:2px 8px;border:0;text-align:left;font-size:13.5px;font-weight:400;overflow:hidden;text-overflow:ellipsis}
.line th:first-child{font:13px/1.5 ui-monospace,"DejaVu Sans Mono",Consolas,monospace;position:static;background:none}.line .what{color:var(--soft);white-space:nowrap}.line .bytes{text-align:right}
.line tr{display:grid;grid-template-columns:30% 11% 9% 1fr;align-items:center}.plots{margin-top:16px}.loads h3{font-size:14px;margin:10px 0 0;font-weight:600;color:var(--soft)}
.lane{position:relative;height:15px;background:linear-gradient(90deg,var(--line) 1px,transparent 1px) 0 0/20% 100%}
.lane i,.lane b{position:absolute;top:2px;height:11px;border-radius:3px;min-width:2px}.lane b{min-width:3px}
.queue{background:var(--line)}.wait{background:var(--note);opacity:.45}.network{background:var(--accent)}.revalidated{background:var(--warn)}.cache{background:var(--good)}
.lane b.cache{width:9px;border-radius:50%;height:9px;top:3px}
.fail{color:var(--bad)}
td.gain{color:var(--good)}
@media (max-width:620px){.line tr{display:grid;grid-template-columns:1fr auto;gap:0 10px;padding:4px 0;border-top:1px solid var(--line)}.line th:first-child,.line .what,.line .bytes,.line td{width:auto;padding:0}.line th:first-child{grid-column:1/-1;white-space:normal;overflow-wrap:anywhere}.line td:last-child{grid-column:1/-1}}
`;

export function renderVisitPage(visited: VisitOutcome, context: VisitPageContext): string {
  const { bucket, endpoint, paths, visits, unknown, other } = visited;
  const name = bucket ?? endpoint ?? '';
  const walk =
    paths.length === 1
      ? (paths[0] ?? '/')
      : `a walk over ${countOf(paths.length, 'page')} from ${paths[0] ?? '/'}`;
  const unknowns = describeUnknown(unknown);
  return `${openPage(`Visits of ${name}`, STYLE + FILTER_STYLE)}
<a class="skip" href="#content">To the content</a>
<header>
<p class="maker">fenestra visit</p>
<h1 class="verdict plain">${text(headline(visits))}</h1>
<p class="about">${text(name)}, ${text(stateOf(visited))}: ${text(walk)}. ${text(describeExactness(visited.unknown, context.connection, context.viewport))}</p>
<nav aria-label="On this page"><ul><li><a href="#visits">Visits</a></li>${other ? '<li><a href="#what-if">What if</a></li>' : ''}${visited.advice.length > 0 ? '<li><a href="#advice">What would save more</a></li>' : ''}<li><a href="#loads">Loads</a></li></ul></nav>
</header>
<main id="content">
<h2 id="visits">Visits</h2>
${visitTable(visited)}
<h2 class="hidden">Plots</h2>
<div class="plots">${plot('Requests', 'answered by the site; what comes from the cache asks nobody', requestBars(visits), plainBars(visits))}${plot('Bytes', 'on the wire, heads included', byteBars(visits), byteBars(visits))}</div>
${budgetPart(visited)}${whatIfPart(visited)}
${tooLongPart(visited)}${advicePart(visited)}
<h2 id="loads">Loads</h2>
<ul class="key"><li><i class="queue"></i>waits for a connection</li><li><i class="wait"></i>asked, nothing came yet</li><li><i class="network"></i>receiving</li><li><i class="revalidated"></i>not changed: 304</li><li><i class="cache"></i>from the cache, nobody asked</li></ul>
${renderFilters(
  visits.flatMap(({ responses }) => responses),
  pagesOf(visited),
)}
<div class="loads">${loadsPart(visited)}</div>
${unknowns === '' ? '' : `<p class="fine">Not known without running the pages: ${text(unknowns)}.</p>`}
</main>
<footer>Made by fenestra visit on ${timeOf(context.when)}. Each return is made from the first visit unless they follow one another.</footer>
</body>
</html>
`;
}

const stateOf = ({ endpoint, release }: VisitOutcome): string =>
  endpoint !== undefined
    ? 'as it answered'
    : release === undefined
      ? 'the site folder as it would be published'
      : `release ${release}`;

function headline(visits: readonly Visit[]): string {
  const [first, ...rest] = visits;
  const back = rest.find(({ kind }) => kind === 'return');
  if (!first) return 'No visit';
  const came = `${countOf(first.totals.requests, 'request')} and ${formatBytes(first.totals.bytes)} at first`;
  if (!back) return came;
  return `${came}, ${formatCount(back.totals.requests)} and ${formatBytes(back.totals.bytes)} ${visitLabel(back)}`;
}

function visitTable({ visits, withoutHeaders, timeOut }: VisitOutcome): string {
  const head = ['visit', 'requests', 'not changed', 'from cache', 'bytes', 'seconds', 'without headers'];
  const rows = visits.map((visit, at) => {
    const { requests, revalidated, fromCache, bytes, seconds } = visit.totals;
    const plain = visit.kind === 'first' ? undefined : withoutHeaders[at]?.totals;
    const cells = [
      [head[1], formatCount(requests)],
      [head[2], formatCount(revalidated)],
      [head[3], formatCount(fromCache)],
      [head[4], formatBytes(bytes)],
      [head[5], seconds.toFixed(2)],
      [head[6], plain ? `${countOf(plain.requests, 'request')}, ${formatBytes(plain.bytes)}` : '–'],
    ].map(
      ([about = '', value = '']) =>
        `<td data-about="${about}"${value === '–' ? ' class="na"' : ''}>${value}</td>`,
    );
    return `<tr><th scope="row">${text(visitLabel(visit))}</th>${cells.join('')}</tr>`;
  });
  return `<div class="scroll" tabindex="0" role="region" aria-labelledby="visits"><table><thead><tr>${head.map((each) => `<th scope="col">${each}</th>`).join('')}</tr></thead><tbody>${rows.join('')}</tbody></table></div><p class="fine">${text(describeGuess(timeOut))}</p>`;
}

const requestBars = (visits: readonly Visit[]): Bar[] =>
  visits.map((visit) => ({
    name: visitLabel(visit),
    value: visit.totals.requests,
    label: `${formatCount(visit.totals.requests)}${visit.totals.revalidated > 0 ? `, ${formatCount(visit.totals.revalidated)} not changed` : ''}`,
  }));

const byteBars = (visits: readonly Visit[]): Bar[] =>
  visits.map((visit) => ({
    name: visitLabel(visit),
    value: visit.totals.bytes,
    label: formatBytes(visit.totals.bytes),
  }));

/** On a phone there is no room for more than the number. */
const plainBars = (visits: readonly Visit[]): Bar[] =>
  requestBars(visits).map((bar) => ({ ...bar, label: formatCount(bar.value) }));

const plot = (title: string, about: string, bars: readonly Bar[], narrow: readonly Bar[]): string =>
  `<figure><figcaption>${title}<small>${about}</small></figcaption><div class="wide" aria-hidden="true">${renderBarPlot(bars, WIDE)}</div><div class="narrow" aria-hidden="true">${renderBarPlot(narrow, NARROW)}</div></figure>`;

function tooLongPart({ keptTooLong }: VisitOutcome): string {
  const [first] = keptTooLong?.objects ?? [];
  if (!keptTooLong || !first) return '';
  const [key, words] = describeTooLong(keptTooLong, first);
  return `<h2 id="too-long">Kept for longer than it lasts</h2>\n<section class="rule warning"><p><span class="place">${text(key)}</span>${text(words)}</p></section>\n`;
}

function advicePart({ advice }: VisitOutcome): string {
  if (advice.length === 0) return '';
  const items = advice.map((each) => {
    const { requests, bytes, seconds } = each.saves;
    const saves = `saves ${countOf(requests, 'request')}, ${formatBytes(bytes)}${seconds >= 0.005 ? `, ${seconds.toFixed(2)} s` : ''}`;
    return `<li><div class="place">${text(adviceLine(each))}</div><div class="what">${saves}</div><div class="what fine">Risk: ${text(describeRisk(each))}</div></li>`;
  });
  return `<h2 id="advice">What one line of the config would save on all returns together</h2>\n<section class="rule note"><ul>${items.join('')}</ul></section>`;
}

function budgetPart({ budgeted, overBudget }: VisitOutcome): string {
  if (budgeted === 0) return '';
  if (overBudget.length === 0) return '<p class="fine">Every page is within its budget.</p>';
  const items = overBudget.map(
    (excess) =>
      `<li><div class="place">${text(pathOf(excess.url))}</div><div class="what">${text(describeExcess(excess))}</div></li>`,
  );
  return `<h2 id="budgets">Over budget</h2>\n<section class="rule error"><ul>${items.join('')}</ul></section>`;
}

const pagesOf = ({ loads }: VisitOutcome): string[] =>
  [...new Set(loads.map(({ load }) => load.url))].slice(0, MAX_LOADS);

function loadsPart(visited: VisitOutcome): string {
  const { other } = visited;
  const parts: string[] = [];
  const places = new Map(pagesOf(visited).map((page, at) => [page, at]));
  let loads = 0;
  for (const [at, visit] of visited.visits.entries()) {
    const others = byPage(other?.site.visits[at]?.responses ?? []);
    for (const [page, responses] of byPage(visit.responses)) {
      loads++;
      if (loads > MAX_LOADS) continue;
      const drawn = { visit, page, responses, others: other ? (others.get(page) ?? []) : undefined };
      parts.push(loadPart(drawn, visited, { place: places.get(page), open: loads <= 2 }));
    }
  }
  if (loads > MAX_LOADS)
    parts.push(
      `<p class="fine">and ${countOf(loads - MAX_LOADS, 'load')} more; --in-full lists them all.</p>`,
    );
  return parts.join('\n');
}

function byPage(responses: readonly VisitedResponse[]): Map<string, VisitedResponse[]> {
  const pages = new Map<string, VisitedResponse[]>();
  for (const response of responses) {
    const known = pages.get(response.page);
    if (known) known.push(response);
    else pages.set(response.page, [response]);
  }
  return pages;
}

interface DrawnLoad {
  readonly visit: Visit;
  readonly page: string;
  readonly responses: readonly VisitedResponse[];
  /** The same load under other circumstances; undefined where none were asked for. */
  readonly others: readonly VisitedResponse[] | undefined;
}

function loadPart(
  { visit, page, responses, others }: DrawnLoad,
  visited: VisitOutcome,
  { place, open }: { readonly place: number | undefined; readonly open: boolean },
): string {
  const endOf = (list: readonly VisitedResponse[]): number =>
    Math.max(0.001, ...list.map(({ time }) => time.to));
  // Both are drawn on one scale.
  const end = Math.max(endOf(responses), endOf(others ?? []));
  const asked = responses.filter(({ from }) => from !== 'cache').length;
  const own = linesPart(responses, end, visited);
  const beside =
    others && visited.other
      ? `<h3>${text(describeOther(visited.other))}: ${countOf(others.filter(({ from }) => from !== 'cache').length, 'request')}, ${endOf(others).toFixed(2)} s</h3>${linesPart(others, end, visited)}`
      : '';
  return `<details class="p-${place ?? 'none'}"${open ? ' open' : ''}><summary>${text(pathOf(page))} <span>${text(visitLabel(visit))}: ${countOf(asked, 'request')}, ${endOf(responses).toFixed(2)} s</span></summary>${own}${beside}</details>`;
}

function linesPart(responses: readonly VisitedResponse[], end: number, visited: VisitOutcome): string {
  const rows = responses.slice(0, MAX_ROWS).map((response) => rowPart(response, end, visited));
  const rest =
    responses.length > MAX_ROWS
      ? `<p class="fine">and ${countOf(responses.length - MAX_ROWS, 'other')}</p>`
      : '';
  return `<table class="line"><caption class="hidden">What the load asks for, and when</caption><tbody>${rows.join('')}</tbody></table>${rest}`;
}

function rowPart(response: VisitedResponse, end: number, visited: VisitOutcome): string {
  const { url, status, from, bytes, why, time } = response;
  const because = describeWhy(why, visited.ruleOf(url));
  const word = from === 'cache' ? 'from cache' : from === 'revalidated' ? '304' : String(status ?? '');
  const share = (seconds: number): string => `${((seconds / end) * 100).toFixed(2)}%`;
  const span = (name: string, begin: number, to: number, tag = 'i'): string =>
    to > begin || tag === 'b'
      ? `<${tag} class="${name}" style="left:min(${share(begin)},99%);width:${share(to - begin)}"></${tag}>`
      : '';
  const lane =
    from === 'cache'
      ? `<b class="cache" style="left:min(${share(time.to)},99%)"></b>`
      : span('queue', time.from, time.asked) +
        span('wait', time.asked, time.answered) +
        span(from, time.answered, time.to, 'b');
  const failed = (status ?? 0) >= 400 ? ' fail' : '';
  return `<tr ${rowMarks(response)}><th scope="row" title="${text(url)}">${text(pathOf(url))}</th><td class="what${failed}" title="${text(because)}">${text(word)}<span class="hidden">, ${text(because)}</span></td><td class="bytes">${from === 'cache' ? '' : formatBytes(bytes)}</td><td><div class="lane">${lane}</div></td></tr>`;
}
