/** The outcome of a check as one page that needs nothing else: no file, no network, and a script for its buttons alone. */
import { groupFailures } from '../../core/check/causes.js';
import { CHECK_FINDINGS } from '../../core/check/check-findings.js';
import { ASPECTS, type Aspect } from '../../core/check/difference.js';
import type { CheckOutcome, EndpointOutcome, Share } from '../../core/check/outcome.js';
import { RELEASE_RULES } from '../../core/check/release-rules.js';
import { SURVEY_RULES } from '../../core/check/survey-rules.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { Finding, Level } from '../../core/findings/finding.js';
import { describeChecked } from '../text/check-text.js';
import { placeOf } from '../text/findings-text.js';
import { FINDING_FILTER_STYLE, folderOf, listFolders, renderFindingFilters } from './check-filters.js';
import { COPY_SCRIPT, COPY_SOURCE, COPY_STYLE } from './copy-script.js';
import { renderBarPlot, type Bar } from './bar-plot.js';
import { folded, openPage, text, timeOf } from './page.js';
import { describeCause, formatDifference } from '../text/cause-text.js';

const EXPLAINED = new Map(
  [...SURVEY_RULES, ...RELEASE_RULES, ...CHECK_FINDINGS].map(({ name, explain }) => [name, explain]),
);
const MAX_PLACES = 25;
const MAX_BARS = 10;
/** A rule with more places goes on in the next column. */
const LONG = 4;

/** @param address the public address of the site */
export function renderCheckPage(outcome: CheckOutcome, address: string): string {
  const { passed } = outcome;
  const checked = describeChecked(outcome);
  const title = `${passed ? 'It works' : 'It does not work yet'}: ${checked}`;
  const endpoints = [outcome, ...(outcome.beside ? [outcome.beside] : [])];
  return `${openPage(title, FINDING_FILTER_STYLE + COPY_STYLE, COPY_SOURCE)}
<a class="skip" href="#findings">To the findings</a>
<header class="${passed ? 'works' : 'fails'}">
<p class="maker">fenestra check</p>
<h1 class="verdict">${passed ? 'It works.' : 'It does not work yet.'}</h1>
<p class="about">${text(checked)}, for ${text(address)}: ${text(endpoints.map(whereOf).join(' and '))}, ${timeOf(outcome.when)}</p>
<nav aria-label="Parts of this page"><ul><li><a href="#findings">Findings</a></li><li><a href="#answers">Answers</a></li><li><a href="#stored">What is stored</a></li></ul></nav>
</header>
<main>
${tiles(outcome)}
<h2 id="findings">Findings</h2>
${findingsPart(outcome)}
<h2 id="answers">Answers</h2>
${endpoints.map((endpoint) => answersPart(endpoint, outcome)).join('\n')}
<h2 id="stored">What is stored</h2>
<div class="plots">
${plot(
  'Bytes by type',
  `${formatBytes(outcome.bytes)} in ${countOf(outcome.objects, 'object')}`,
  outcome.byType,
  {
    value: ({ bytes }) => bytes,
    wide: ({ bytes, objects }) => `${formatBytes(bytes)} in ${formatCount(objects)}`,
    narrow: ({ bytes }) => formatBytes(bytes),
  },
)}
${plot('Objects by caching', 'how long they may be kept without asking', outcome.byCaching, {
  value: ({ objects }) => objects,
  wide: ({ objects, bytes }) => `${formatCount(objects)}, ${formatBytes(bytes)}`,
  narrow: ({ objects }) => formatCount(objects),
})}
</div>
</main>
<footer>Made by fenestra check in ${spent(outcome.seconds)}; ${countOf(outcome.inspection.read, 'text')} read. A finding at level ${outcome.failOn} or above fails the check, and so does any answer that differs.</footer>
<script>${COPY_SCRIPT}</script>
</body>
</html>
`;
}

/** How long it took: `3.2 seconds`, `2 minutes 43 seconds`. */
const spent = (seconds: number): string => {
  if (seconds < 60) return `${seconds.toFixed(1)} seconds`;
  const whole = Math.round(seconds);
  const rest = whole % 60;
  return `${countOf(Math.floor(whole / 60), 'minute')}${rest === 0 ? '' : ` ${countOf(rest, 'second')}`}`;
};

const whereOf = ({ selfTest, at }: EndpointOutcome): string =>
  selfTest ? "self-test against Fenestra's own emulation" : `asked at ${at}`;

function tiles({ findings, probes, objects, baseline, sample }: CheckOutcome): string {
  const count = (level: Level): number => findings.filter((finding) => finding.level === level).length;
  const tile = (kind: string, value: string, label: string): string =>
    `<li class="${kind}"><b>${value}</b><span>${text(label)}</span></li>`;
  const levels = (['error', 'warning', 'note'] as const).map((level) =>
    tile(
      count(level) > 0 ? level : 'zero',
      formatCount(count(level)),
      count(level) === 1 ? level : `${level}s`,
    ),
  );
  return `<ul class="tiles">${levels.join('')}${tile(
    probes.failed > 0 ? 'error' : 'zero',
    formatCount(probes.run - probes.failed),
    `of ${countOf(probes.run, 'probe')} answered right${probes.retries > 0 ? `, ${countOf(probes.retries, 'retry', 'retries')}` : ''}`,
  )}${tile('zero', formatCount(objects), sample.objects < objects ? `objects, ${formatCount(sample.objects)} of them probed` : 'objects, all probed')}${
    baseline ? tile('zero', formatCount(baseline.known), 'known already, left out') : ''
  }</ul>`;
}

function findingsPart({ findings }: CheckOutcome): string {
  if (findings.length === 0) return '<p class="fine">Nothing was found.</p>';
  const rules = new Map<string, Finding[]>();
  for (const finding of findings) {
    const known = rules.get(finding.rule);
    if (known) known.push(finding);
    else rules.set(finding.rule, [finding]);
  }
  const folders = listFolders(findings);
  return `${renderFindingFilters(rules, folders)}<div class="rules">${[...rules].map(([rule, group]) => rulePart(rule, group, folders)).join('\n')}</div>`;
}

function rulePart(rule: string, group: readonly Finding[], folders: readonly string[]): string {
  const level = group[0]?.level ?? 'note';
  const items = group.map((finding, at) => {
    const place = placeOf(finding);
    // Places that share a cure have it once, after the last of them.
    const last = group[at + 1]?.fix !== finding.fix || at + 1 === MAX_PLACES;
    const folder = folders.indexOf(folderOf(finding));
    return `<li data-folder${folder < 0 ? '' : ` class="f-${folder}"`}>${place === '' ? '' : `<div class="place">${text(place)}</div>`}<div class="what">${text(finding.message)}</div>${elsewherePart(finding)}${last ? cure(finding.fix) : ''}</li>`;
  });
  return `<section class="rule ${level}${group.length > LONG ? ' long' : ''}" id="rule-${text(rule)}"><h3><span class="level ${level}">${level}</span>${text(rule)}${group.length > 1 ? `<span class="count">${formatCount(group.length)} places</span>` : ''}</h3><p>${withCode(EXPLAINED.get(rule) ?? '')}</p>${folded(items, MAX_PLACES)}</section>`;
}

function elsewherePart({ elsewhere = [] }: Finding): string {
  if (elsewhere.length === 0) return '';
  const places = elsewhere.map((each) => `<li>${text(placeOf(each))}</li>`).join('');
  return `<details><summary>also at ${countOf(elsewhere.length, 'other place')}</summary><ul class="places">${places}</ul></details>`;
}

/** What stands in backticks is code. */
const withCode = (words: string): string => text(words).replace(/`([^`]+)`/g, '<code>$1</code>');

const cure = (fix: string): string => `<div class="cure"><b>Cure</b><span>${text(fix)}</span></div>`;

/** The matrix of what was asked and what was compared, then the causes of what failed. */
function answersPart(endpoint: EndpointOutcome, { sample, objects }: CheckOutcome): string {
  const { matrix } = endpoint;
  if (matrix.length === 0) return '<p class="fine">Nothing was asked.</p>';
  const shown = ASPECTS.filter((aspect) =>
    matrix.some(({ about, aspects }) => aspects[aspect] !== undefined || compares(about, aspect)),
  );
  const rows = matrix.map(({ about, asked, failed, aspects }) => {
    const cells = shown.map((aspect) => {
      const wrong = aspects[aspect] ?? 0;
      if (wrong > 0) return cell(aspect, `${formatCount(wrong)} wrong`, 'ko');
      return compares(about, aspect) ? cell(aspect, 'right', 'ok') : cell(aspect, '–', 'na');
    });
    const counts =
      cell('probes', formatCount(asked)) + cell('wrong', formatCount(failed), failed > 0 ? 'ko' : '');
    return `<tr role="row"><th role="rowheader" scope="row">${text(about)}</th>${counts}${cells.join('')}</tr>`;
  });
  const taken =
    sample.objects < objects
      ? `<p class="fine">A sample of ${formatCount(sample.objects)} of ${formatCount(objects)} objects, some of each of ${countOf(sample.kinds, 'kind')}: type, caching, folder, readable or not.</p>`
      : '';
  return `<div class="scroll" tabindex="0" role="region" aria-label="Answers, ${text(whereOf(endpoint))}"><table role="table"><caption class="hidden">${text(whereOf(endpoint))}: what was asked, and in what the answers differed</caption><thead><tr role="row">${['asked for', 'probes', 'wrong', ...shown].map((name) => `<th role="columnheader" scope="col">${name}</th>`).join('')}</tr></thead><tbody>${rows.join('')}</tbody></table></div>${taken}${causes(endpoint)}`;
}

/** Where there is little room a row becomes a card, and each cell says itself what it is about; then roles keep it a table. */
const cell = (about: string, value: string, kind = ''): string =>
  `<td role="cell" data-about="${about}"${kind === '' ? '' : ` class="${kind}"`}>${value}</td>`;

const COMPARED: Partial<Readonly<Record<Aspect, RegExp>>> = {
  status: /^(?!unchanged|a range)/,
  location: /^(?:moved address|folder without slash)$/,
  type: /^(?:object|folder|wrong address|HEAD)$/,
  caching: /^(?:object|folder|wrong address|HEAD)$/,
  encoding: /^(?:object|folder|HEAD)$/,
  length: /^(?:object|folder|HEAD)$/,
  bytes: /^(?:object|folder|wrong address)$/,
  validators: /^(?:object|HEAD|unchanged by)/,
  range: /^a range$/,
};
const compares = (about: string, aspect: Aspect): boolean => COMPARED[aspect]?.test(about) ?? false;

function causes({ failures }: EndpointOutcome): string {
  if (failures.length === 0) return '';
  return groupFailures(failures)
    .map(({ aspect, cause, failures: group }) => {
      const items = group.map(
        (failure) =>
          `<li><div class="place">${text(failure.url)}</div><div class="what">${text(failure.about)}: ${text(formatDifference(failure))}</div></li>`,
      );
      return `<section class="rule error" style="margin-top:12px"><h3><span class="level error">${aspect}</span>${countOf(group.length, 'answer')} with this cause</h3>${cure(describeCause(cause))}${folded(items, MAX_PLACES)}</section>`;
    })
    .join('\n');
}

interface Ways {
  readonly value: (share: Share) => number;
  /** What stands at a bar where there is room, and where there is little. */
  readonly wide: (share: Share) => string;
  readonly narrow: (share: Share) => string;
}

function plot(title: string, about: string, shares: readonly Share[], { value, wide, narrow }: Ways): string {
  const rest = shares.slice(MAX_BARS);
  const sum = (of: (share: Share) => number): number => rest.reduce((total, share) => total + of(share), 0);
  const all: Share[] = [
    ...shares.slice(0, MAX_BARS),
    ...(rest.length > 0
      ? [
          {
            name: `${rest.length} others`,
            objects: sum(({ objects }) => objects),
            bytes: sum(({ bytes }) => bytes),
          },
        ]
      : []),
  ];
  const bars = (label: (share: Share) => string): Bar[] =>
    all.map((share) => ({ name: share.name, value: value(share), label: label(share) }));
  const table = all.map(
    ({ name, objects, bytes }) =>
      `<tr><th scope="row">${text(name)}</th><td>${formatCount(objects)}</td><td>${formatBytes(bytes)}</td></tr>`,
  );
  return `<figure><figcaption>${text(title)}<small>${text(about)}</small></figcaption><div class="wide" aria-hidden="true">${renderBarPlot(bars(wide), 540)}</div><div class="narrow" aria-hidden="true">${renderBarPlot(bars(narrow), 326)}</div><div class="hidden"><table><caption>${text(title)}</caption><thead><tr><th scope="col">what</th><th scope="col">objects</th><th scope="col">bytes</th></tr></thead><tbody>${table.join('')}</tbody></table></div></figure>`;
}
