/** What is shown of the loads: filters and an order that need no script, by what is checked. */
import { pathOf } from '../../core/words/path-of.js';
import type { VisitedResponse } from '../../core/visiting/visit.js';
import { text } from './page.js';
import { FILTER_FORM_STYLE } from './page-style.js';

type Kind = 'page' | 'style' | 'script' | 'font' | 'picture' | 'film' | 'other';
const KINDS: Readonly<Record<VisitedResponse['use'], Kind>> = {
  page: 'page',
  frame: 'page',
  style: 'style',
  script: 'script',
  module: 'script',
  font: 'font',
  image: 'picture',
  icon: 'picture',
  media: 'film',
  captions: 'film',
  manifest: 'other',
  data: 'other',
  prefetch: 'other',
};
const KIND_WORDS: Readonly<Record<Kind, string>> = {
  page: 'pages',
  style: 'styles',
  script: 'scripts',
  font: 'fonts',
  picture: 'pictures',
  film: 'films and sounds',
  other: 'other',
};

type Result = 'sent' | 'same' | 'kept' | 'failed';
const RESULT_WORDS: Readonly<Record<Result, string>> = {
  sent: 'sent whole',
  same: 'not changed: 304',
  kept: 'from the cache',
  failed: 'failed',
};

const ORDERS = { asked: 'as they are met', bytes: 'most bytes first', late: 'last to arrive first' } as const;

const resultOf = ({ from, status }: VisitedResponse): Result => {
  if (from === 'cache') return 'kept';
  if (from === 'revalidated') return 'same';
  return (status ?? 0) >= 400 ? 'failed' : 'sent';
};

/** Attributes of a row, by which it is filtered and ordered. */
export const rowMarks = (response: VisitedResponse): string =>
  `class="k-${KINDS[response.use]} r-${resultOf(response)}" style="--b:-${response.bytes};--t:-${Math.round(response.time.to * 1e6)}"`;

export const FILTER_STYLE = `${FILTER_FORM_STYLE}
.line tbody{display:flex;flex-direction:column}
${[
  ...Object.keys(KIND_WORDS).map((kind) => `main:has(#k-${kind}:not(:checked)) .line .k-${kind}`),
  ...Object.keys(RESULT_WORDS).map((result) => `main:has(#r-${result}:not(:checked)) .line .r-${result}`),
].join(',')}{display:none}
main:has(#o-bytes:checked) .line tr{order:var(--b)}main:has(#o-late:checked) .line tr{order:var(--t)}
`;

/** Controls for what there is; nothing where there is one of each. @param pages the addresses of the walk */
export function renderFilters(responses: readonly VisitedResponse[], pages: readonly string[]): string {
  const kinds = new Set(responses.map(({ use }) => KINDS[use]));
  const results = new Set(responses.map(resultOf));
  const boxes = <K extends string>(
    legend: string,
    letter: string,
    words: Readonly<Record<K, string>>,
    there: ReadonlySet<K>,
  ): string => {
    const known = (Object.keys(words) as K[]).filter((name) => there.has(name));
    if (known.length < 2) return '';
    const labels = known.map(
      (name) => `<label><input type="checkbox" id="${letter}-${name}" checked>${words[name]}</label>`,
    );
    return `<fieldset><legend>${legend}</legend>${labels.join('')}</fieldset>`;
  };
  const orders = Object.entries(ORDERS).map(
    ([name, words], at) =>
      `<label><input type="radio" name="order" id="o-${name}"${at === 0 ? ' checked' : ''}>${words}</label>`,
  );
  const choice =
    pages.length < 2
      ? ''
      : `<style>${pages.map((_, at) => `main:has(#pages option[value="${at}"]:checked) .loads details:not(.p-${at}){display:none}`).join('')}</style><label>Page <select id="pages"><option value="all" selected>all</option>${pages.map((page, at) => `<option value="${at}">${text(pathOf(page))}</option>`).join('')}</select></label>`;
  return `<form class="filters" aria-label="What is shown of the loads">${choice}${boxes('Kind', 'k', KIND_WORDS, kinds)}${boxes('Result', 'r', RESULT_WORDS, results)}<fieldset><legend>Order</legend>${orders.join('')}</fieldset></form>`;
}
