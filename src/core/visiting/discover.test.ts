import { expect, test } from 'vitest';
import { Discoverer } from './discover.js';
import type { PageLoad, VisitedSite } from './page-load.js';
import { DEFAULT_SCREEN } from './screen.js';

const TYPES: Readonly<Record<string, string>> = { css: 'text/css', js: 'text/javascript', html: 'text/html' };

/** A site of texts by their paths. */
const siteOf = (files: Readonly<Record<string, string>>): VisitedSite => ({
  ask: (url) => {
    const { host, pathname } = new URL(url);
    if (host !== 'a.invalid') return Promise.resolve(undefined);
    const text = files[pathname];
    const type = TYPES[pathname.split('.').at(-1) ?? ''] ?? 'image/png';
    const answer = { status: 200, headers: { 'Content-Type': type }, head: 1, confirmedHead: 1, size: 1 };
    return Promise.resolve(text === undefined ? { ...answer, status: 404 } : answer);
  },
  head: () => Promise.resolve(undefined),
  text: (url) => Promise.resolve(files[new URL(url).pathname]),
});

const discover = (files: Readonly<Record<string, string>>): Promise<PageLoad> =>
  new Discoverer(siteOf(files), DEFAULT_SCREEN).page('http://a.invalid/index.html');

const paths = ({ wanted }: PageLoad): string[] => wanted.map(({ url }) => new URL(url).pathname);
const BODY = '<link rel="icon" href="data:,">';

test('what is met in what, and other hosts by their names alone', async () => {
  const load = await discover({
    '/index.html': `${BODY}<link rel=stylesheet href=a.css><script type=module src=m.js></script><script src=https://b.invalid/x.js></script><img src=p.png>`,
    '/a.css': '@import "b.css"; body { background: url(q.png) }',
    '/b.css': '',
    '/m.js': 'import "./n.js"; import("./later.js")',
    '/n.js': 'import "./m.js"',
  });
  expect(paths(load)).toEqual(['/index.html', '/a.css', '/b.css', '/m.js', '/n.js', '/p.png', '/q.png']);
  expect(load.wanted.map(({ by }) => by)).toEqual([-1, 0, 1, 0, 3, 0, 1]);
  expect(load.unknown).toMatchObject({ scripts: 2, elsewhere: ['b.invalid'] });
});

const deep = (open: string, close: string, times = 30_000): string =>
  open.repeat(times) + close.repeat(times);

test.each<[string, Readonly<Record<string, string>>]>([
  [
    'styles that import each other',
    {
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>`,
      '/a.css': '@import "b.css";',
      '/b.css': '@import "a.css"; @import "b.css";',
    },
  ],
  [
    'modules that import each other',
    {
      '/index.html': `${BODY}<script type=module src=a.js></script>`,
      '/a.js': 'import "./b.js"',
      '/b.js': 'import "./a.js"; import "./b.js"',
    },
  ],
  [
    'frames within themselves',
    { '/index.html': `${BODY}<iframe src=/index.html?1></iframe><iframe src=/index.html></iframe>` },
  ],
  [
    'blocks without end',
    { '/index.html': `${BODY}<link rel=stylesheet href=a.css>`, '/a.css': deep('@media all{', '}') },
  ],
  [
    'nested rules that double',
    {
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>`,
      '/a.css': `${'& & & &{'.repeat(60)}background:url(x.png)`,
    },
  ],
  [
    'parentheses',
    {
      '/index.html': `${BODY}<p style="background: url(a.png) ${deep('(', ')')}"><img srcset="a 1w" sizes="${deep('(', ')')}"><link rel=stylesheet media="${deep('(', ')')}" href=a.css>`,
      '/a.css': `p { background: var(--x) url(b.png) ${deep('(', ')')} }`,
    },
  ],
  [
    'selectors',
    {
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>${'<p>'.repeat(3000)}`,
      '/a.css': `${Array.from({ length: 3000 }, (_, n) => `*:not(.x${n}) *{background:url(${n}.png)}`).join('')}${deep(':not(', ')')}{display:none}`,
    },
  ],
  [
    'elements',
    { '/index.html': `${BODY}${'<div class="a b c" style="background:url(x.png)">'.repeat(20_000)}` },
  ],
  [
    'names that are made of each other without end',
    {
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>${'<p class=a>'.repeat(2000)}`,
      '/a.css': `:root{${Array.from({ length: 20_000 }, (_, n) => `--x${n}:var(--x${n + 1})`).join(';')}} .a{--y0:url(x.png);${Array.from({ length: 60 }, (_, n) => `--y${n + 1}:var(--y${n}) var(--y${n})`).join(';')};background:var(--x0) var(--y60)}`,
    },
  ],
  [
    'values of quotes, of fallbacks, and of addresses that do not end',
    {
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>${'<p class=a>'.repeat(500)}`,
      '/a.css': `.a{--q:${'\\"'.repeat(200_000)};background:var(--q) url(x.png)} .a{cursor:${'var(--n,'.repeat(20_000)} url(y.png)} .a{mask:var(--n,${'url(z'.repeat(20_000)})}`,
    },
  ],
  [
    'an import map of the prototype',
    {
      '/index.html': `${BODY}<script type=importmap>{"imports":{"__proto__":"/a.js","constructor":"/b.js"}}</script><script type=module>import "toString"; import "constructor"; import "__proto__"</script>`,
      '/b.js': '',
    },
  ],
  [
    'shadow trees without end',
    {
      '/index.html':
        BODY +
        '<div><template shadowrootmode=open><link rel=stylesheet href=a.css><p class=x>x</p></template></div>'.repeat(
          3000,
        ),
      '/a.css': '.x p, :host(.y), ::slotted(p) { background: url(b.svg) } '.repeat(3000),
    },
  ],
  [
    'shadow trees in shadow trees',
    { '/index.html': BODY + '<div><template shadowrootmode=open>'.repeat(3000) + '<img src=a.svg>' },
  ],
  [
    'boxes in boxes, and what waits behind them',
    {
      '/index.html': `${BODY}<style>div { display: flex; padding: 1px; height: calc(1px + (2px * ${'('.repeat(300)})) }</style>${'<div>x'.repeat(10_000)}${'<img loading=lazy src=a.svg>'.repeat(5000)}`,
    },
  ],
  [
    'frames of one address',
    {
      '/index.html': BODY + '<iframe src=f.html></iframe>'.repeat(3000),
      '/f.html': '<iframe src=g.html></iframe>'.repeat(3000),
      '/g.html': '<img src=h.svg>',
    },
  ],
  [
    'icons and pages ahead without end',
    {
      '/index.html': `${BODY}${'<link rel=icon href=i.png sizes="16x16 99999x99999">'.repeat(5000)}<script type=speculationrules>{"prefetch":[${Array.from({ length: 900 }, (_, n) => `{"where":{"href_matches":"/*${'a*'.repeat(20)}${n}"},"eagerness":"immediate"}`).join()}]}</script>${'<a href=aaaaaaaaaaaaaaaaaaaaaaaaaaaa>x</a>'.repeat(5000)}`,
    },
  ],
  [
    'a page that goes on for ever',
    {
      '/index.html': '<meta http-equiv=refresh content="0;url=/a.html">',
      '/a.html': '<meta http-equiv=refresh content="0;url=/index.html">',
    },
  ],
])('a hostile page does no harm: %s', async (_what, files) => {
  const load = await discover(files);
  expect(paths(load)[0]).toBe('/index.html');
  expect(load.wanted.length).toBeLessThan(20_001);
});

test('what is disabled, unknown or for others is not asked for', async () => {
  const load = await discover({
    '/index.html': `${BODY}<link rel=stylesheet href=a.css disabled><link rel=stylesheet type=text/less href=b.css><script nomodule src=c.js></script><script type=text/x src=d.js></script><noscript><img src=e.png></noscript><template><img src=f.png></template>`,
  });
  expect(paths(load)).toEqual(['/index.html']);
});

test('modules are followed through what they export from others, and by the scopes of import maps', async () => {
  const map = JSON.stringify({
    imports: { tools: './tools-1.js', 'parts/': './parts/', '/old.js': '/new.js', nowhere: 'bare' },
    scopes: { '/parts/': { tools: './tools-2.js' }, '/parts/deep.js': { tools: '/tools-3.js' } },
  });
  const load = await discover({
    '/index.html': `${BODY}<script type=importmap>${map}</script><script type=module src=m.js></script>`,
    '/m.js':
      'import "tools"; export * from "./all.js"; export { a } from "parts/one.js"; import "/old.js"; import "nowhere"',
    '/all.js': 'export * as b from "./b.js"',
    '/parts/one.js': 'import "tools"; import "./deep.js"; import "parts/two.js"',
    '/parts/deep.js': 'import "tools"',
  });
  expect(paths(load).sort()).toEqual(
    ['/index.html', '/m.js', '/tools-1.js', '/all.js', '/b.js', '/parts/one.js', '/new.js']
      .concat(['/tools-2.js', '/parts/deep.js', '/tools-3.js', '/parts/two.js'])
      .sort(),
  );
});

test.each<[condition: string, asked: boolean]>([
  ['(max-width: 100px)', true],
  ['screen and (min-width: 1px)', true],
  ['supports(display: grid)', true],
  ['supports(display: grid) screen and (min-width: 1px)', true],
  ['supports((display: grid) and (not (display: inline-grid))) print', true],
  ['supports(not (display: grid))', false],
  ['layer(base)', true],
  ['layer(base) supports(display: grid) (min-width: 1px)', true],
  ['layer', true],
])('a style that is imported where %s holds is asked for: %s', async (condition, asked) => {
  for (const name of ['"b.css"', 'url(b.css)', "url('b.css')"]) {
    const load = await discover({
      '/index.html': `${BODY}<link rel=stylesheet href=a.css>`,
      '/a.css': `@import ${name} ${condition};`,
      '/b.css': '',
    });
    expect(paths(load).includes('/b.css')).toBe(asked);
  }
});
