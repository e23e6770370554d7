import { describe, expect, it, test } from 'vitest';
import { createCascade } from '../assign/cascade.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from '../hosting/bucket-view.js';
import type { StoredObject } from '../site/site-object.js';
import type { Neighbour } from './neighbour.js';
import { comparePortability } from './portability.js';
import type { ReleaseContext } from './release-context.js';
import { ReleaseReader } from './release-reader.js';
import { inspectRelease, RELEASE_RULES } from './release-rules.js';

interface Case {
  /** Texts by key; a page without a doctype or an `<html` is wrapped in a healthy one. */
  readonly files?: Readonly<Record<string, string>>;
  readonly settings?: Partial<BucketSettings>;
  readonly types?: Readonly<Record<string, string>>;
  readonly headers?: Readonly<Record<string, Readonly<Record<string, string>>>>;
  readonly address?: string;
  readonly under?: string;
  readonly place?: string;
  readonly neighbours?: readonly Neighbour[];
  /** What the leading bytes are, by key. */
  readonly bytes?: Readonly<Record<string, string>>;
}

const HEALTHY = {
  'index.html': '<h1>Mill</h1><a href="/visit/">Visit</a>',
  'not-found.html': '<p>Nothing here. <a href="/">Home</a></p>',
  'visit/index.html': '<h1 id="parking">Visit</h1>',
  'styles/mill.css': 'b{}',
  'pictures/owl.png': 'PNG',
  'film/wheel.mp4': 'MP4',
  'fonts/d.woff2': 'WOFF2',
  'film/wheel.vtt': 'WEBVTT',
  'app.js': '1',
};

/** The same below a path of its host. */
const BELOW = {
  'index.html': '<h1>Mill</h1><a href="visit/">Visit</a>',
  'not-found.html': '<p>Nothing here. <a href="/v1/AUTH_mill/bucket/">Home</a></p>',
};

/** A bucket of another site that pages load from. */
const assets = (sharing?: Neighbour['sharing']): Neighbour => ({
  bucket: 'assets',
  hosts: ['assets.example'],
  place: '/',
  sharing,
});

const cascade = createCascade({ file: 'fenestra.yaml', rules: [] });
const page = (text: string): string =>
  /^<(?:!doctype|html|\?xml)/i.test(text) ? text : `<!doctype html><title>Mill</title><body>${text}`;

function read({
  files = {},
  settings = {},
  types = {},
  headers = {},
  bytes = {},
  under = '',
  address,
  place,
  neighbours = [],
}: Case): ReleaseContext {
  const all: Record<string, string> = { ...HEALTHY, ...files };
  const objects = Object.keys(all)
    .sort()
    .map((key): StoredObject => {
      const text = all[key] ?? '';
      return {
        key,
        size: text.length,
        digest: text,
        since: 0,
        headers: {
          ...cascade.decide(key).headers,
          ...(types[key] === undefined ? {} : { 'Content-Type': types[key] }),
          ...headers[key],
        },
      };
    });
  const known = new Map(objects.map((object) => [object.key, object]));
  const view: BucketView = {
    name: 'test-mill',
    access: 'open',
    release: 1,
    settings: {
      ...NEW_BUCKET_SETTINGS,
      documents: { index: 'index.html', error: 'not-found.html' },
      ...settings,
    },
    find: (key) => known.get(key),
  };
  const reader = new ReleaseReader({
    view,
    objects,
    address: address ?? 'https://www.mill.example/',
    place,
    neighbours,
    origins: ['https://mill.example'],
    hosts: ['www.mill.example'],
    under,
    bytesAre: (key) => bytes[key],
    typeRule: (key) => (key === 'styles/mill.css' ? 'fenestra.yaml line 12' : undefined),
  });
  for (const object of objects) {
    const kind = reader.kindOf(object);
    const text = all[object.key] ?? '';
    if (kind) reader.add(object, kind, kind === 'page' ? page(text) : text);
  }
  return reader.finish();
}

const inspect = (given: Case): string[] =>
  inspectRelease(read(given)).map(
    ({ rule, key, line, message, fix }) =>
      `${rule} ${key ?? ''}${line === undefined ? '' : `:${line}`} ${message} | ${fix}`,
  );

const on = (text: string): Case => ({ files: { 'a.html': text } });
const DRAFTS: Partial<BucketSettings> = { readable: { keys: ['**'], except: ['drafts/**'] } };
const moved = (permanently: Record<string, string>): Case => ({
  settings: { moved: { permanently, temporarily: {} } },
});

/** A rule, a release that breaks it and no other, and what must be said. */
const BAD: readonly [string, Case, RegExp][] = [
  ['reference-missing', on('\n\n<a href="/vist/">x</a>'), /a\.html:3 "\/vist\/" leads nowhere/],
  ['reference-missing', on('<a href="vist/index.html">x</a>'), /spelt almost so: write \/visit\/index\.html/],
  ['reference-missing', on('<img srcset="/pictures/owl.png 1x, /owl-2.png 2x">'), /"\/owl-2\.png"/],
  ['reference-missing', on('<p style="background:url(/no.png)">x</p>'), /"\/no\.png"/],
  ['reference-missing', on('<style>\n@import "/no.css";</style>x'), /a\.html:2 "\/no\.css"/],
  ['reference-missing', on('<meta http-equiv="refresh" content="5; url=/gone/">x'), /"\/gone\/"/],
  ['reference-missing', on('<video poster="/no.jpg" src="/film/wheel.mp4"></video>'), /"\/no\.jpg"/],
  [
    'reference-missing',
    on('<base href="/visit/"><a href="more.html">x</a>'),
    /there is no \/visit\/more\.html/,
  ],
  ['reference-missing', on('<template><img src="/no.png"></template>x'), /"\/no\.png"/],
  ['reference-missing', on('<svg><image xlink:href="/no.svg"/></svg>'), /"\/no\.svg"/],
  ['reference-missing', on('<script type="module">import "/no.js";</script>x'), /"\/no\.js"/],
  [
    'reference-missing',
    { files: { 'styles/b.css': '\n@font-face{src:url("../fonts/no.woff2")}' } },
    /b\.css:2 "\.\.\/fonts\/no\.woff2"/,
  ],
  [
    'reference-missing',
    {
      files: {
        'a.html': '<script type="module" src="m.mjs"></script>x',
        'm.mjs': 'import "./n.mjs";',
        'n.mjs': '\nexport * from "./o.mjs"',
      },
    },
    /n\.mjs:2 "\.\/o\.mjs"/,
  ],
  [
    'reference-missing',
    { files: { 'site.webmanifest': '{"start_url":"/",\n"icons":[{"src":"/no.png"}]}' } },
    /site\.webmanifest:2 "\/no\.png"/,
  ],
  [
    'reference-missing',
    { files: { 'sitemap.xml': '<urlset>\n<url><loc>https://www.mill.example/gone/</loc></url></urlset>' } },
    /sitemap\.xml:2/,
  ],
  [
    'reference-missing',
    { files: { 'news.atom': '<feed><link href="https://www.mill.example/gone/"/></feed>' } },
    /news\.atom:1/,
  ],
  [
    'reference-missing',
    { files: { 'a.html': '<a href="/b.html">x</a>', 'b.html.txt': 'x' } },
    /rename the file to b\.html/,
  ],
  [
    'reference-case',
    on('<img src="/Pictures/Owl.png">'),
    /case of letters counts \| write \/pictures\/owl\.png/,
  ],
  ['reference-slash', on('<a href="/visit">x</a>'), /write \/visit\//],
  [
    'reference-private',
    { files: { 'a.html': '<a href="/drafts/b.html">x</a>', 'drafts/b.html': 'x' }, settings: DRAFTS },
    /"drafts\/\*\*" under readable\.except/,
  ],
  ['reference-moved', { ...on('<a href="/old">x</a>'), ...moved({ '/old': '/visit/' }) }, /write \/visit\//],
  [
    'reference-outside',
    { ...on('<img src="/pictures/owl.png" alt="">'), place: '/v1/AUTH_mill/bucket/' },
    /leads out of the site.*write (?:\.\.\/)*pictures\/owl\.png/,
  ],
  [
    'reference-slash',
    {
      files: { ...BELOW, 'a/b.html': '<a href="../visit">x</a>', 'visit/index.html': '<p>x' },
      place: '/v1/AUTH_mill/bucket/',
    },
    /write \.\.\/visit\/$/m,
  ],
  [
    'reference-outside',
    {
      files: {
        ...BELOW,
        'not-found.html': `${BELOW['not-found.html']}<img src="/owl.png" alt="">`,
        'owl.png': 'x',
      },
      place: '/v1/AUTH_mill/bucket/',
    },
    /write \/v1\/AUTH_mill\/bucket\/owl\.png/,
  ],
  ...[
    '<style>@font-face{font-family:x;src:url("https://assets.example/d.woff2")}</style><p>x',
    '<link rel="preload" as="font" crossorigin href="https://assets.example/d.woff2"><p>x',
    '<script type="module" src="https://assets.example/app.js"></script><p>x',
    '<script type="module">import "https://assets.example/app.js"</script><p>x',
    '<img crossorigin src="https://assets.example/owl.png" alt="">',
    '<img crossorigin srcset="https://assets.example/owl.png 2x" alt="">',
    '<link rel="stylesheet" crossorigin href="https://assets.example/a.css"><p>x',
  ].map((text): [string, Case, RegExp] => [
    'reference-not-shared',
    { ...on(text), neighbours: [assets({ origins: ['https://other.example'], expose: [], keptFor: null })] },
    /shared with other sites, and not with https:\/\/mill\.example/,
  ]),
  [
    'reference-not-shared',
    {
      ...on('<script type="module" src="https://assets.example/app.js"></script><p>x'),
      neighbours: [assets()],
    },
    /shared with no other site \| add https:\/\/mill\.example to sharedWith/,
  ],
  [
    'reference-not-shared',
    {
      ...on('<img crossorigin="use-credentials" src="https://assets.example/owl.png" alt="">'),
      neighbours: [assets({ origins: 'everyone', expose: [], keptFor: null })],
    },
    /no bucket gives leave/,
  ],
  ['reference-malformed', on('<a href="/100%/">x</a>'), /no address that can be asked for/],
  ['reference-malformed', on('<a href="http://[mill/">x</a>'), /no address that can be asked for/],
  ['reference-to-disk', on('<img src="C:\\mill\\owl.png">'), /such as \/owl\.png/],
  [
    'reference-to-disk',
    on('<link rel="canonical" href="file:///mill/a.html">x'),
    /public address of the page/,
  ],
  [
    'reference-insecure',
    on('<script src="http://maps.example/m.js"></script>x'),
    /write https:\/\/maps\.example\/m\.js/,
  ],
  ['reference-to-endpoint', on('<a href="http://test-mill.localhost:4680/visit/">x</a>'), /write \/visit\//],
  [
    'reference-to-endpoint',
    on('<img src="https://www.mill.example/pictures/owl.png">'),
    /write \/pictures\/owl\.png/,
  ],
  [
    'fragment-missing',
    on('<a href="/visit/#paking">x</a>'),
    /visit\/index\.html has no part with the id paking/,
  ],
  ['fragment-missing', on('<a href="#nope">x</a>'), /a\.html has no part with the id nope/],
  [
    'import-bare',
    on('<script type="module">\nimport { h } from "templates";</script>x'),
    /a\.html:2 imports "templates"/,
  ],
  [
    'source-map-missing',
    { files: { 'styles/b.css': 'b{}\n/*# sourceMappingURL=b.css.map */' } },
    /b\.css:2 .*"b\.css\.map"/,
  ],
  ['form-to-bucket', on('<form method="post" action="/visit/"><input></form>'), /405/],
  [
    'error-page-unstyled',
    { files: { 'not-found.html': '<link rel="stylesheet" href="/styles/mil.css">x<a href="/">h</a>' } },
    /write \/styles\/mill\.css/,
  ],
  [
    'error-page-relative',
    { files: { 'not-found.html': '<link rel="stylesheet" href="styles/mill.css">x<a href="/">h</a>' } },
    /write \/styles\/mill\.css/,
  ],
  [
    'app-page-relative',
    {
      files: { 'index.html': '<script type="module" src="./app.js"></script><div id="app"></div>' },
      settings: { apps: [{ page: 'index.html', paths: ['/orders'] }] },
    },
    /index\.html.*"\.\/app\.js".*write \/app\.js/,
  ],
  [
    'app-answers-missing',
    { settings: { apps: [{ page: 'index.html', paths: ['/orders/**', '/about'] }] } },
    /\/orders\/\*\*: visitors get the app with status 404/,
  ],
  [
    'app-unanswered',
    {
      settings: {
        apps: [{ page: 'index.html', paths: ['/orders/**', '/about'] }],
        quirks: { appPages: 'error-document' },
      },
    },
    /\/orders\/\*\* shows not-found\.html and not index\.html/,
  ],
  [
    'error-page-plain',
    { files: { 'index.html': '<link rel="stylesheet" href="styles/mill.css"><h1>Mill</h1>' } },
    /none of the styles.*add <link rel="stylesheet" href="\/styles\/mill\.css"> to not-found\.html/,
  ],
  [
    'error-page-plain',
    { files: { 'index.html': '<style>b{}</style><h1>Mill</h1>' } },
    /give not-found\.html the style element/,
  ],
  ['error-page-dead-end', { files: { 'not-found.html': '<p>Nothing.</p>' } }, /no link back/],
  ['documents-alike', { files: { 'not-found.html': HEALTHY['index.html'] } }, /a copy of index\.html/],
  ['document-empty', { files: { 'index.html': '' } }, /no bytes/],
  ['document-empty', { files: { 'index.html': '<div id="top"></div>' } }, /shows nothing/],
  [
    'declared-type-differs',
    on('<picture><source type="image/webp" srcset="/pictures/owl.png"></picture>'),
    /declares image\/webp/,
  ],
  [
    'script-type-refused',
    { ...on('<script type="module" src="/app.js"></script>x'), types: { 'app.js': 'text/plain' } },
    /as a module.*text\/javascript/,
  ],
  [
    'script-type-odd',
    { ...on('<script src="/app.js"></script>x'), types: { 'app.js': 'text/plain' } },
    /wherever sniffing is off/,
  ],
  [
    'style-type-refused',
    { ...on('<link rel="stylesheet" href="/styles/mill.css">x'), types: { 'styles/mill.css': 'text/plain' } },
    /browsers ignore it.*fenestra\.yaml line 12: contentType: text\/css/,
  ],
  [
    'captions-type-refused',
    { files: { 'a.html': '<video src="/film/wheel.mp4"><track src="/w.srt"></video>', 'w.srt': '1' } },
    /such as \/w\.vtt/,
  ],
  [
    'media-type-refused',
    { ...on('<video src="/film/wheel.mp4"></video>'), types: { 'film/wheel.mp4': 'text/plain' } },
    /contentType: video\/mp4/,
  ],
  [
    'media-type-refused',
    {
      ...on('<video src="/film/wheel.mp4"></video>'),
      types: { 'film/wheel.mp4': 'text/plain' },
      bytes: { 'film/wheel.mp4': 'video/webm' },
    },
    /contentType: video\/webm/,
  ],
  [
    'reference-missing',
    {
      files: { 'docs/index.html': '<a href="/tides.html">t</a>', 'docs/tides.html': '<p>t</p>' },
      under: 'docs/',
    },
    /there is no \/tides\.html.*the site lies under \/docs\/: write \/docs\/tides\.html/,
  ],
  [
    'error-page-dead-end',
    { files: { 'not-found.html': '<p>No' }, under: 'docs/' },
    /<a href="\/docs\/">Home<\/a> to not-found\.html/,
  ],
  [
    'declared-type-differs',
    {
      ...on('<video><source type="video/webm" src="/film/wheel.mp4"></video>'),
      bytes: { 'film/wheel.mp4': 'video/webm' },
    },
    /declares video\/webm.*sent as video\/mp4.*contentType: video\/webm/,
  ],
  [
    'image-type-refused',
    { ...on('<img src="/pictures/owl.png">'), types: { 'pictures/owl.png': 'text/plain' } },
    /contentType: image\/png/,
  ],
  [
    'font-type-odd',
    {
      files: { 'styles/b.css': '@font-face{src:url(/fonts/d.woff2)}' },
      types: { 'fonts/d.woff2': 'application/octet-stream' },
    },
    /contentType: font\/woff2/,
  ],
  ['font-preloaded-twice', on('<link rel="preload" as="font" href="/fonts/d.woff2">x'), /add crossorigin/],
  ['media-without-range', { headers: { 'film/wheel.mp4': { 'Content-Encoding': 'gzip' } } }, /cannot seek/],
  [
    'data-unreadable',
    { files: { 'site.webmanifest': '{"name":"Mill",\n}' } },
    /site\.webmanifest:2 does not parse/,
  ],
  ['data-unreadable', { files: { 'news.atom': '<feed>\n<link></feed>' } }, /news\.atom:2 does not parse/],
  [
    'secure-feature-over-http',
    {
      ...on('<script>\nnavigator.serviceWorker.register("/sw.js")</script>x'),
      address: 'http://www.mill.example/',
    },
    /a\.html:2 asks for service workers/,
  ],
  [
    'server-code-published',
    on('\n<!--#include virtual="/menu.html" -->x'),
    /a\.html:2 holds a server-side include/,
  ],
  ['moved-loop', moved({ '/a': '/b', '/b': '/a' }), /\/a → \/b → \/a/],
  ['moved-chain', moved({ '/a': '/b', '/b': '/visit/' }), /lead to \/visit\/ at once/],
  ['moved-chain', moved({ '/a': '/visit' }), /\/a → \/visit → \/visit\//],
  ['moved-nowhere', moved({ '/a': '/vist/' }), /leads to \/vist\/, which does not exist/],
  ['moved-nowhere', moved({ '/shop/*': '/goods/*' }), /which does not exist/],
  ['moved-shadows', moved({ '/visit/*': '/' }), /nobody can reach it: the moved address \/visit\/\* covers/],
];

describe('what each rule of the inspection finds', () => {
  test.each(BAD)('%s %#', (rule, given, expected) => {
    const found = inspect(given);
    expect(found.filter((line) => line.startsWith(`${rule} `) && expected.test(line))).not.toEqual([]);
    // One cause is one finding.
    expect(found.filter((line) => !line.startsWith(`${rule} `))).toEqual([]);
  });
  it('every rule is in the table', () => {
    expect([...new Set(BAD.map(([rule]) => rule))].sort()).toEqual(
      RELEASE_RULES.map(({ name }) => name).sort(),
    );
  });
  it('an address with one fault is spoken of once, with all other places that have it', () => {
    const files = Object.fromEntries(
      [1, 2, 3].map((n) => [`${n}.html`, '<a href="/gone/">x</a><a href="/gone/?q">y</a>']),
    );
    const [finding, ...others] = inspectRelease(read({ files }));
    expect(others).toEqual([]);
    expect(finding).toMatchObject({ key: '1.html', line: 1, about: '/gone/' });
    expect(finding?.elsewhere).toEqual([2, 3].map((n) => ({ key: `${n}.html`, line: 1 })));
  });
  it('the same reference on other lines of one page is another place', () => {
    const files = { 'a.html': '<a href="/gone/">x</a>\n<a href="/gone/">y</a>\n\n<a href="../gone/">z</a>' };
    const [finding] = inspectRelease(read({ files }));
    expect(finding?.elsewhere).toEqual([2, 4].map((line) => ({ key: 'a.html', line })));
  });
});

describe('what is no fault', () => {
  test.each<[string, Case]>([
    ['a healthy site', {}],
    [
      'other buckets, with their leave or without a need of it',
      {
        ...on(
          '<script type="module" src="https://assets.example/app.js"></script><img src="https://plain.example/owl.png" alt=""><script src="https://plain.example/a.js"></script>',
        ),
        neighbours: [
          assets({ origins: ['https://mill.example'], expose: [], keptFor: null }),
          { ...assets(), hosts: ['plain.example'] },
        ],
      },
    ],
    [
      'links elsewhere',
      on(
        '<a href="https://tide.example/">x</a><a href="mailto:a@mill.example">m</a><img src="data:image/png,">',
      ),
    ],
    [
      'its own public address as canonical',
      on('<link rel="canonical" href="https://www.mill.example/a.html">x'),
    ],
    [
      'fragments that always lead somewhere',
      on('<a href="#">x</a><a href="#top">y</a><a href="/visit/#:~:text=a">z</a><a href="#/r">r</a>'),
    ],
    [
      'a fragment with letters of its own',
      on(
        '<a href="/visit/#parking">x</a><b id="wasserstände">y</b><a href="#wasserst%C3%A4nde">z</a><a name="old"></a><a href="#old">o</a>',
      ),
    ],
    ['white space and a query', on('<a href=" /visit/?from=a ">x</a>')],
    [
      'a bare name with an import map',
      on('<script type="importmap">{}</script><script type="module">import "templates";</script>x'),
    ],
    [
      'a script that no page makes a module of',
      { files: { 'tool.mjs': 'import "node:fs"; import "./gone.mjs"' } },
    ],
    [
      'a template address in a script type of its own',
      on('<script type="text/x-card"><img src="/no.png"></script>x'),
    ],
    [
      'a namespace in a style',
      { files: { 'styles/b.css': '@namespace url(http://www.w3.org/1999/xhtml);b{}' } },
    ],
    [
      'a stylesheet under another type on a page in quirks mode',
      {
        files: { 'a.html': '<html><title>Mill</title><link rel="stylesheet" href="/styles/mill.css">x' },
        types: { 'styles/mill.css': 'text/plain' },
      },
    ],
    [
      'XHTML that closes a script at once',
      on(
        '<?xml version="1.0"?><html><head><title>Mill</title><script src="/app.js"/></head><body><a href="/visit/">v</a></body></html>',
      ),
    ],
    [
      'secure features over https, or on this machine',
      on('<script>crypto.subtle.digest("SHA-256", x)</script>x'),
    ],
    ['a moved folder that has something', moved({ '/old/*': '/visit/*' })],
    ['a moved address on another site', moved({ '/shop/*': 'https://shop.mill.example/*' })],
    ['an error page with a base', { files: { 'not-found.html': '<base href="/"><a href="visit/">v</a>' } }],
    [
      'a site of one page that a script fills',
      {
        files: { 'index.html': '<div id="app"></div><script src="/app.js"></script>' },
        settings: {
          documents: { index: 'index.html', error: 'index.html' },
          quirks: { errorDocumentStatus: 200 },
        },
      },
    ],
    [
      'an icon declared by its other name',
      {
        files: { 'a.html': '<link rel="icon" type="image/vnd.microsoft.icon" href="/i.ico">x', 'i.ico': 'x' },
      },
    ],
  ])('%s', (_name, given) => {
    expect(inspect(given)).toEqual([]);
  });
  it('hostile pages end in a reading', () => {
    const deep = '<div>'.repeat(30_000) + 'x';
    const css = `a{b:${'('.repeat(50_000)}url(/x.png)}`;
    expect(() =>
      inspect({ files: { 'a.html': deep, 'b.css': css, 'c.js': 'import '.repeat(1000) } }),
    ).not.toThrow();
  });
});

it('portability: what other hosts answer differently, with the reference to change', () => {
  const context = read(
    on('<a href="/visit">x</a>\n<a href="/visit/">y</a><a href="/visit/index.html">z</a>'),
  );
  const found = comparePortability(context.view, context.addresses).map(
    ({ key, line, message, fix }) => `${key ?? ''}:${line ?? ''} ${message} | ${fix}`,
  );
  expect(found).toEqual([
    'a.html:1 "/visit": 302 to the folder here, 404 under root-index-only, 200 under without-redirects, 200 with the error document under one-page-app, 404 under gateway | write /visit/index.html, or /visit/ where hosts with folders are enough',
    'a.html:2 "/visit/": 200 here, 404 under root-index-only, 404 under gateway | write /visit/index.html',
    expect.stringMatching(/^: any wrong address: 404 here, 403 under secretive, .*one-page-app/),
  ]);
});
