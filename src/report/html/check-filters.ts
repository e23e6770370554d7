/** What is shown of the findings: by level, rule and folder, without a script; and where each rule stands. */
import type { Finding, Level } from '../../core/findings/finding.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { text } from './page.js';
import { FILTER_FORM_STYLE } from './page-style.js';

const LEVELS: readonly Level[] = ['error', 'warning', 'note'];
/** A longer list helps nobody to choose. */
const MAX_FOLDERS = 30;

export const FINDING_FILTER_STYLE = `${FILTER_FORM_STYLE}
.contents{margin:0 0 14px}.contents ul{list-style:none;margin:6px 0 0;padding:0;columns:3 240px}.contents li{padding:1px 0;font-size:14.5px;break-inside:avoid}.contents .count{margin-left:8px}
${LEVELS.map((level) => `main:has(#l-${level}:not(:checked)) .rules>.${level}`).join(',')}{display:none}
@media print{.contents{display:none}}
`;

/** The folder that a finding is of: the first part of its key; '' for what lies at the root or has no key. */
export const folderOf = ({ key = '' }: Finding): string =>
  key.includes('/') ? key.slice(0, key.indexOf('/') + 1) : '';

/** The folders that can be chosen, those with most findings first. */
export function listFolders(findings: readonly Finding[]): string[] {
  const counts = new Map<string, number>();
  for (const finding of findings) {
    const folder = folderOf(finding);
    if (folder !== '') counts.set(folder, (counts.get(folder) ?? 0) + 1);
  }
  return [...counts]
    .sort(([a, one], [b, two]) => two - one || (a < b ? -1 : 1))
    .slice(0, MAX_FOLDERS)
    .map(([folder]) => folder);
}

/** @param rules the names of the rules with their findings, in the order of the page */
export function renderFindingFilters(
  rules: ReadonlyMap<string, readonly Finding[]>,
  folders: readonly string[],
): string {
  const names = [...rules.keys()];
  if (names.length < 2) return '';
  const levels = LEVELS.filter((level) => [...rules.values()].some(([first]) => first?.level === level));
  const boxes = levels
    .map((level) => `<label><input type="checkbox" id="l-${level}" checked>${level}s</label>`)
    .join('');
  const option = (value: string, words: string): string => `<option value="${value}">${text(words)}</option>`;
  const style = [
    ...names.map(
      (name) => `main:has(#rules option[value="${name}"]:checked) .rules>:not(#rule-${name}){display:none}`,
    ),
    ...folders.map(
      (_, at) =>
        `main:has(#folders option[value="${at}"]:checked) .rules :is(li[data-folder]:not(.f-${at}),.rule:not(:has(.f-${at}))){display:none}`,
    ),
  ].join('');
  const folderChoice =
    folders.length < 2
      ? ''
      : `<label>Folder <select id="folders"><option value="all" selected>all</option>${folders.map((folder, at) => option(String(at), folder)).join('')}</select></label>`;
  return `<style>${style}</style><form class="filters" aria-label="What is shown of the findings">${levels.length < 2 ? '' : `<fieldset><legend>Level</legend>${boxes}</fieldset>`}<label>Rule <select id="rules"><option value="all" selected>all</option>${names.map((name) => option(name, name)).join('')}</select></label>${folderChoice}</form>${contents(rules)}`;
}

const contents = (rules: ReadonlyMap<string, readonly Finding[]>): string =>
  `<details class="contents"><summary>${countOf(rules.size, 'rule')} with findings</summary><ul>${[...rules]
    .map(
      ([name, group]) =>
        `<li><a href="#rule-${name}">${text(name)}</a><span class="count">${formatCount(group.length)}</span></li>`,
    )
    .join('')}</ul></details>`;
