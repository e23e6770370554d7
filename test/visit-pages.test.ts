import { cpSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, vi } from 'vitest';
import { visitAs, type Browsed } from './helpers/browsed.js';
import { need } from './helpers/machine.js';
import { DEMO, fenestra, makeFolder, makeProject } from './helpers/program.js';

/** A browser walks for minutes where a machine does other work too. */
vi.setConfig({ testTimeout: 900_000 });

const svg = (colour: string): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><rect width="10" height="10" fill="${colour}"/></svg>`;

/** A page with much of what a browser decides for itself; what it must not ask for is called `no-…`. */
const HARD = `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Hard</title>
<link rel="icon" href="/i/icon.svg" type="image/svg+xml">
<link rel="stylesheet" href="/s/main.css"><link rel="stylesheet" href="/s/print.css" media="print">
<link rel="stylesheet" href="/s/wide.css" media="(min-width: 60em)"><link rel="alternate stylesheet" title="x" href="/s/other.css">
<link rel="stylesheet" type="text/less" href="/s/no-less.css">
<link rel="preload" as="image" href="/i/preloaded.svg"><link rel="prefetch" href="/i/later.svg">
<link rel="modulepreload" href="/m/ahead.js">
<link rel="preload" as="image" href="/i/no-narrow.svg" media="(max-width: 100px)">
<style>@import "/s/inner.css"; .inline { background: url(/i/inline.svg) } .nobody { background: url(/i/no-unmatched.svg) }</style>
<script src="/m/plain.js"></script><script src="/m/late.js" defer></script><script nomodule src="/m/no-old.js"></script>
<script type="text/x-template" src="/m/no-template.js"></script>
<script type="importmap">{"imports":{"tide":"/m/tide.js","mill/":"/m/mill/"}}</script>
<script type="module" src="/m/main.js"></script><script type="module">import "tide"; import "mill/wheel.js";</script>
</head><body>
<h1>Hard</h1><p class="digits">0123</p><p class="inline">Text</p><p style="background: url('/i/attr.svg')">Text</p>
<div hidden><p class="hidden-child">x</p></div><div class="gone"><p class="hidden-child">x</p></div><p class="overridden" id="o">x</p>
<p class="before">x</p><p class="before-empty">x</p><ul class="dots"><li>x</li></ul>
<img src="/i/no-plain.svg" srcset="/i/no-400.svg 400w, /i/800.svg 800w, /i/no-1280.svg 1280w" sizes="50vw" alt="">
<img src="/i/no-x.svg" srcset="/i/no-09.svg 0.9x, /i/1x.svg 1x, /i/no-3x.svg 3x" alt="">
<picture><source type="image/x-none" srcset="/i/no-type.svg"><source media="(max-width: 600px)" srcset="/i/no-small.svg"><source type="image/svg+xml" srcset="/i/source.svg"><img src="/i/no-fallback.svg" alt=""></picture>
<img hidden src="/i/hidden.svg" alt=""><noscript><img src="/i/no-noscript.svg" alt=""></noscript><template><img src="/i/no-in-template.svg" alt=""></template>
<iframe src="/frame.html" width="200" height="100" title="f"></iframe><object data="/i/object.svg" type="image/svg+xml"></object>
<input type="image" src="/i/input.svg" alt=""><video preload="none" poster="/i/poster.svg" src="/no-film.webm"></video>
<img src="/old-address" alt=""><img src="/i/missing.svg" alt="">
<div style="height: 6000px"></div><p>${'Long text. '.repeat(3000)}</p><img loading="lazy" src="/i/no-far.svg" width="10" height="10" alt="">
</body></html>`;

const FILES: Record<string, string> = {
  'site/hard.html': HARD,
  'site/frame.html':
    '<!doctype html><title>f</title><link rel="stylesheet" href="/s/frame.css"><img src="/i/framed.svg" alt="">',
  'site/s/main.css': `@import url("deep/first.css") screen; @font-face { font-family: "Digits"; src: url(/f/digits.woff2) format("woff2"); unicode-range: U+30-39 }
@font-face { font-family: "Digits"; font-weight: 700; src: url(/f/no-bold.woff2) format("woff2") } @font-face { font-family: "Unused"; src: url(/f/no-unused.woff2) }
.digits { font-family: Digits, serif } .gone { display: none } .hidden-child { background: url(/i/no-hidden.svg) }
.overridden { background: url(/i/no-loser.svg) } #o { background: url(/i/winner.svg) }
.before::before { content: ""; background: url(/i/before.svg) } .before-empty::before { background: url(/i/no-contentless.svg) }
.dots { list-style-image: url(/i/dot.svg) } p:hover { background: url(/i/no-hover.svg) } @media print { p { background: url(/i/no-printed.svg) } }
.inline:not(.x) { cursor: url(/i/cursor.svg), auto }`,
  'site/s/deep/first.css': '@import "second.css"; h1 { background: url(../../i/deep.svg) }',
  'site/s/deep/second.css': 'h1 { color: teal }',
  'site/s/print.css': 'p { background: url(/i/no-print.svg) }',
  'site/s/wide.css': 'body { background: image-set(url(/i/set-1.svg) 1x, url(/i/no-set-2.svg) 2x) }',
  'site/s/other.css': 'p { background: url(/i/no-alternate.svg) }',
  'site/s/inner.css': 'p { color: black }',
  'site/s/frame.css': 'body { background: url(/i/frame-back.svg) }',
  'site/m/plain.js': 'void 0;',
  'site/m/late.js': 'void 0;',
  'site/m/main.js': 'import "./one.js"; import { two } from "./two.js"; two();',
  'site/m/one.js': 'import "./three.js";',
  'site/m/two.js': 'export const two = () => 2;',
  'site/m/three.js': 'export {};',
  'site/m/ahead.js': 'import "./no-ahead-child.js";',
  'site/m/tide.js': 'export {};',
  'site/m/mill/wheel.js': 'export {};',
  ...Object.fromEntries(
    [
      'icon',
      'preloaded',
      'later',
      'inline',
      'attr',
      'winner',
      'before',
      'dot',
      'cursor',
      'deep',
      'set-1',
      '800',
      '1x',
      'source',
      'hidden',
      'framed',
      'frame-back',
      'object',
      'input',
      'poster',
      'moved',
    ].map((name) => [`site/i/${name}.svg`, svg('teal')]),
  ),
};

test('a page with much that a browser decides for itself: styles, fonts, pictures, modules, frames', async (context) => {
  need(context, 'Chromium');
  const config = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
documents: { index: index.html, error: not-found.html }
moved: { permanently: { /old-address: /i/moved.svg } }
assign:
  - { to: "i/*.svg", cache: 1 hour }
  - { to: "s/**", cache: 5 minutes }
  - { to: "m/two.js", cache: never }
  - { to: "m/late.js", cache: { fresh: 1 minute, whileRevalidating: 1 day } }
`;
  const digits = join(DEMO, 'site/fonts/wendle-digits.woff2');
  const home = makeProject(FILES, config);
  cpSync(digits, join(home, 'site/f/digits.woff2'));
  await fenestra(home, 'publish', '--yes');
  const seen = await visitAs<Browsed>(
    home,
    '/hard.html',
    '/frame.html',
    '--after',
    '0 seconds, 10 minutes',
    '--reload',
    '--browser',
  );
  expect(seen.differences).toEqual([]);
  const asked = seen.visits[0]?.responses.map(({ url }) => new URL(url).pathname) ?? [];
  expect(asked.filter((path) => /\/no-/.test(path))).toEqual([]);
  expect(asked.length).toBeGreaterThan(40);
});

const PYTHON = '/usr/share/doc/python3.11/html';

test('forty pages of a real site', async (context) => {
  need(context, 'python3-doc', 'Chromium');
  const home = makeFolder({
    'fenestra.yaml': `site: ${PYTHON}\ndestinations: { rehearsal: { store: here, bucket: test-mill } }\ndocuments: { index: index.html, error: contents.html }\nlinks: follow\n`,
  });
  await fenestra(home, 'publish', '--yes', '--sure', 'test-mill');
  const pages = readdirSync(PYTHON, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.html'))
    .sort();
  const chosen = pages.filter((_, at) => at % Math.ceil(pages.length / 40) === 0).map((name) => `/${name}`);
  expect(chosen.length).toBeGreaterThan(35);
  // A browser waits more than it works, so four do it at once.
  const parts = [0, 1, 2, 3].map((part) => chosen.filter((_, at) => at % 4 === part));
  const browse = (pages: readonly string[]): Promise<Browsed> =>
    visitAs<Browsed>(home, ...pages, '--after', '0 seconds', '--browser');
  const seen = await Promise.all(parts.map(browse));
  // What a machine that does four things at once has made of a load is not there when it does one.
  for (const [at, { differences }] of seen.entries())
    if (differences.length > 0) seen[at] = await browse(parts[at] ?? []);
  expect(seen.flatMap(({ differences }) => differences)).toEqual([]);
  expect(seen.flatMap(({ browser }) => browser.flatMap(({ responses }) => responses)).length).toBeGreaterThan(
    80,
  );
});
