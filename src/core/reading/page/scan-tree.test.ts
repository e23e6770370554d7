import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { chance, SEED } from '../../../../test/helpers/chance.js';
import { makePage } from '../../../../test/helpers/pages.js';
import type { Element } from './element.js';
import { parseTree } from './page-tree.js';
import { scanTree } from './scan-tree.js';
import { need, type Need } from '../../../../test/helpers/machine.js';

/** Each element by its name, attributes, place and words. */
const shown = (elements: readonly Element[]): object[] =>
  elements.map((element) => ({
    name: element.name,
    attributes: [...element.attributes].sort(([a], [b]) => (a < b ? -1 : 1)),
    parent: element.parent ? elements.indexOf(element.parent) : -1,
    children: element.children.map(({ name }) => name).join(' '),
    text:
      element.name === 'noscript' || element.name === 'title' ? '' : element.text.replace(/\s+/g, ' ').trim(),
  }));

/** @returns how many of them the scan was sure of */
function compare(pages: readonly string[]): number {
  let sure = 0;
  for (const page of pages) {
    const scanned = scanTree(page);
    if (!scanned) continue;
    sure++;
    expect(shown(scanned)).toEqual(shown(parseTree(page)));
  }
  return sure;
}

test.for<[folder: string, every: number, sure: number, ...needs: Need[]]>([
  ['/usr/share/doc/python3.11/html', 40, 1, 'python3-doc'],
  ['/usr/share/doc/git-doc', 10, 0.9, 'git-doc'],
  ['demo/wendle-mill', 1, 1],
])(
  'the scan of a page and its tree have the same elements: %s',
  ([folder, every, sure, ...needs], context) => {
    need(context, ...needs);
    const pages = (readdirSync(folder, { recursive: true }) as string[])
      .filter((name) => name.endsWith('.html'))
      .filter((_, at) => at % every === 0)
      .map((name) => readFileSync(join(folder, name), 'utf8'));
    expect(compare(pages) / pages.length).toBeGreaterThanOrEqual(sure);
  },
);

test('pages made up by chance, from tidy to wild', () => {
  const next = chance('trees');
  for (const wild of [0, 1, 2, 3]) {
    const pages = Array.from({ length: 400 }, () => makePage(next, wild));
    expect(compare(pages), `seed ${SEED}`).toBeGreaterThan(20);
  }
});

test.each([
  '<!doctype html><title>x</title><body><noscript><img src="/a.png"><p id="p">x</p></noscript><p class="b c">y',
  '<!doctype html><head><noscript><link rel="stylesheet" href="/a.css"></noscript></head><body class="x"><ul><li>a<li>b</ul>',
  '<!doctype html><table><tr><td>a<td>b<tr><th>c</table><select><option>a<option>b</select>',
  '<!doctype html><svg viewBox="0 0 1 1"><use xlink:href="#a" href="#b"/><g class="k"><path d="M0"/></g></svg><p>z',
  '<!doctype html><dl><dt>a<dd>b<p>c<dd>d</dl><p>a &amp; b &eacute;<img alt="x &gt; y" src=a.png>',
  '<!doctype html><style media="print">p{}</style><script type=module>import "a" </script>text',
])('%s', (page) => {
  expect(scanTree(page)).toBeDefined();
  expect(compare([page])).toBe(1);
});
