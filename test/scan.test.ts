/** The scan of a page and its tree say the same to the letter, wherever the scan says anything. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it, test } from 'vitest';
import { readPage } from '../src/core/reading/page/read-page.js';
import { scanPage } from '../src/core/reading/page/scan-page.js';
import { chance, SEED } from './helpers/chance.js';
import { makePage } from './helpers/pages.js';
import { need, type Need } from './helpers/machine.js';

const pagesIn = (folder: string): string[] =>
  (readdirSync(folder, { recursive: true }) as string[])
    .filter((name) => name.endsWith('.html'))
    .map((name) => readFileSync(join(folder, name), 'utf8'));

/** @returns how many of them the scan was sure of */
function compare(pages: readonly string[]): number {
  const scanned = pages.map((text) => ({ text, scan: scanPage(text) })).filter(({ scan }) => scan);
  for (const { text, scan } of scanned) expect(scan).toEqual(readPage(text));
  return scanned.length;
}

// Sites that Debian ships, as many of their pages as take a few seconds, and our own.
test.for<[folder: string, every: number, sure: number, ...needs: Need[]]>([
  ['/usr/share/doc/python3.11/html', 12, 1, 'python3-doc'],
  ['/usr/share/doc/git-doc', 4, 0.9, 'git-doc'],
  ['demo/wendle-mill', 1, 1],
  ['demo/as-it-arrived', 1, 0.8],
])('%s', ([folder, every, sure, ...needs], context) => {
  need(context, ...needs);
  const pages = pagesIn(folder).filter((_, at) => at % every === 0);
  expect(compare(pages) / pages.length).toBeGreaterThanOrEqual(sure);
});

it('pages made up by chance, from tidy to wild', () => {
  const next = chance('pages');
  const shares = [0, 1, 2, 3].map((wild) => {
    const pages = Array.from({ length: 700 }, () => makePage(next, wild));
    return compare(pages) / pages.length;
  });
  expect(shares[0], `seed ${SEED}`).toBeGreaterThan(0.25);
  expect(shares[3], `seed ${SEED}`).toBeGreaterThan(0.1);
});

// What a tree rearranges, copies or drops.
test.each([
  '<p><a href="/x"><div>a</div></a>b',
  '<p><b><p>x',
  '<table><a href="/x">y</a></table>',
  '<table>text<tr><td>x</table>',
  '<form action="/a"><form action="/b"></form>',
  '<a href="/a"><a href="/b">x</a>',
  '<template><a href="/x"></a></template>',
  '<select><div>x</div></select>',
  '<div><span></div></span>',
  '<body><body id="b">',
  '<noscript><p></noscript>',
  '<svg><p><a href="/x"></a></svg>',
  '<svg><foreignObject><a href="/x"></a></foreignObject></svg>',
  '<script><!-- <script></script> --></script>',
  '<!-- a --!> <a href="/x"> -->',
  '<p>a\0b',
  'a\rb',
  '<a href="/x"',
  '<button><button>',
  '<image src="/x">',
  '<frameset><frame src="/f"></frameset>',
])('leaves to the tree: %j', (text) => {
  expect(scanPage(text)).toBeUndefined();
});

it('knows where each address is written, and how', () => {
  const text = `<link rel=icon href=" /a&amp;b "><img srcset="/c 1x,\n/d 2x"><p style="x:url('/e')"><script type=module>import '/f.js'</script>`;
  const [icon, ...others] = scanPage(text)?.references ?? [];
  expect(icon).toMatchObject({ raw: '/a&b', escaping: 'html' });
  expect(text.slice(icon?.at, (icon?.at ?? 0) + (icon?.length ?? 0))).toBe('/a&amp;b');
  expect(others.map(({ at, length }) => text.slice(at, at + length))).toEqual(['/c', '/d', '/e', '/f.js']);
  expect(others.map(({ styled }) => styled ?? false)).toEqual([false, false, true, false]);
});
