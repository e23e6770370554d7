import * as crypto from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { typeByName } from '../assign/media-type.js';
import { readObject } from '../reading/read-object.js';
import { renamingKind } from '../reading/reading-kind.js';
import { Readings } from '../reading/readings.js';
import { LONGER, SEED } from '../../../test/helpers/chance.js';
import { lookUpIn } from '../hosting/find-in.js';
import { NEW_BUCKET_SETTINGS } from '../hosting/bucket-view.js';
import { compareKeys } from '../site/key.js';
import { LinkReader } from './links.js';
import { createNameFinder } from '../reading/names-in-text.js';
import { nameSite } from './name-site.js';
import { listLost } from './list-lost.js';
import { findRewriteFault, isTakenBack } from './prove-rewrite.js';
import { rewriteText, type TextEdit } from './rename-reference.js';
import { readAgain } from '../reading/read-again.js';
import { createVersionable } from './versionable.js';

type Site = Readonly<Record<string, string>>;

const sha = (text: string | Buffer): string => crypto.hash('sha256', text, 'hex');

interface Named {
  /** Every object under the name that it is published with. */
  readonly published: Site;
  /** Plain keys to versioned ones. */
  readonly names: Readonly<Record<string, string>>;
  readonly uncertain: readonly string[];
}

/** Names a site that is all text. */
async function nameTexts(
  site: Site,
  patterns: readonly string[],
  moved = {},
  rewrite = rewriteText,
): Promise<Named> {
  const objects = Object.entries(site)
    .map(([key, text]) => ({
      key,
      text,
      size: Buffer.byteLength(text),
      digest: sha(text),
      since: 0,
      headers: { 'Content-Type': typeByName(key) ?? '' },
    }))
    .sort((a, b) => compareKeys(a.key, b.key));
  const readings = new Readings();
  const versionable = createVersionable({
    patterns,
    keepPlain: [],
    form: '{stem}.{hash}{extension}',
    documents: ['index.html'],
  });
  const settings = { ...NEW_BUCKET_SETTINGS, readable: { keys: ['**'], except: [] } };
  const view = { name: 'mill', access: 'open', release: 1, settings, ...lookUpIn(objects) } as const;
  const rows = objects.map((object) => {
    const kind = renamingKind(object);
    return kind && { kind, row: readings.add(object.key, readObject(kind, object.text)) };
  });
  const findNames = createNameFinder(['css', 'js', 'png', 'svg', 'json', 'map', 'webmanifest']);
  const textAt = (number: number): string => objects[number]?.text ?? '';
  const digest = (algorithm: string, bytes: Buffer, form: 'hex' | 'base64'): string =>
    crypto.hash(algorithm, bytes, form);
  const { versioned, edits, keptPlain, uncertain } = await nameSite({
    objects: objects.map(({ key, digest: content, headers }, number) => ({
      key,
      type: headers['Content-Type'],
      content,
      row: rows[number]?.row,
    })),
    versionable,
    readings,
    links: (numberOf) => new LinkReader({ view, hosts: ['www.mill.example'], readings, numberOf }),
    names: (number) => {
      const read = rows[number];
      return read ? findNames(read.kind, textAt(number), readings.reading(read.row)) : [];
    },
    moved: { permanently: moved, temporarily: {} },
    read: (number) => Promise.resolve(Buffer.from(textAt(number))),
    textOf: (_number, bytes) => bytes.toString(),
    rewrite: (_number, bytes, changes) => Buffer.from(rewrite(bytes.toString(), changes)),
    publish: async (_number, _edits, make) => {
      const bytes = await make();
      return bytes && { digest: sha(bytes), size: bytes.length, content: sha(bytes) };
    },
    search: () => [],
    digest,
    digestText: sha,
    advance: () => undefined,
  });
  const published: Record<string, string> = {};
  for (const [number, { key, text }] of objects.entries()) {
    const becomes = rewriteText(text, edits.get(number) ?? []);
    const name = versioned.get(number);
    if (name !== undefined) published[name] = becomes;
    if (name === undefined || keptPlain.has(number)) published[key] = becomes;
  }
  const keyOf = (number: number): string => objects[number]?.key ?? '';
  return {
    published,
    names: Object.fromEntries([...versioned].map(([number, name]) => [keyOf(number), name])),
    uncertain: [...new Set(uncertain.map(({ target, how }) => `${keyOf(target)} ${how}`))].sort(),
  };
}

/** How every text names others, by looking for names and nothing else. */
const listNamed = (site: Site, key: string): string[] =>
  Object.keys(site).filter((other) => (site[key] ?? '').includes(`"/${other}"`));

/** Sites of styles, modules and pages that name each other at random, in circles too. */
const sites = fc
  .array(fc.tuple(fc.constantFrom('css', 'js', 'html'), fc.array(fc.nat(11), { maxLength: 4 }), fc.nat(99)), {
    minLength: 1,
    maxLength: 12,
  })
  .map((files): Site => {
    const keys = files.map(([kind], n) => (kind === 'html' ? `p${n}.html` : `a/f${n}.${kind}`));
    return Object.fromEntries(
      files.map(([kind, links, salt], n) => {
        const named = links.flatMap((each) => keys[each] ?? []);
        const of = (ending: string): string[] => named.filter((key) => key.endsWith(ending));
        const text =
          kind === 'css'
            ? `${of('.css')
                .map((key) => `@import "/${key}";`)
                .join('\n')}\n.n${salt} { color: teal }`
            : kind === 'js'
              ? `${of('.js')
                  .map((key) => `import "/${key}";`)
                  .join('\n')}\nexport const n = ${salt};`
              : `<!doctype html><title>${salt}</title>${named
                  .map((key) =>
                    key.endsWith('.css')
                      ? `<link rel="stylesheet" href="/${key}">`
                      : key.endsWith('.js')
                        ? `<script type="module" src="/${key}"></script>`
                        : `<a href="/${key}">x</a>`,
                  )
                  .join('\n')}`;
        return [keys[n] ?? '', text];
      }),
    );
  });

/** Sites with the same names in many folders, whose pages refer to them up, down and beside, some of them in XHTML. */
const FOLDERS = ['', 'a/', 'de/', 'a/b/', 'de/a/'];
const alike = fc
  .array(
    fc.tuple(
      fc.constantFrom(...FOLDERS),
      fc.boolean(),
      fc.array(fc.tuple(fc.constantFrom('', './', '../', '../../', '/', 'a/', 'b/', '../a/'), fc.nat(2)), {
        maxLength: 5,
      }),
    ),
    { minLength: 1, maxLength: 6 },
  )
  .map((pages): Site => {
    const assets = FOLDERS.flatMap((folder) =>
      ['x.svg', 'y.css', 'z.png'].map((name) => [`${folder}${name}`, `/* ${folder}${name} */`]),
    );
    const texts = pages.map(([folder, isXhtml, references], n) => {
      const written = references.map(([way, at]) => `${way}${['x.svg', 'y.css', 'z.png'][at] ?? ''}`);
      const images = written.map((src) => `<a id="t"/><img src="${src}"/><div class="d"/>`).join('\n');
      return [
        `${folder}p${n}.html`,
        isXhtml
          ? `<?xml version="1.0"?>\n<html xmlns="http://www.w3.org/1999/xhtml"><body><script src="q.js"/>${images}</body></html>`
          : `<!doctype html><title>p</title>${images.replace(/<(a|div)[^>]*>/g, '')}`,
      ];
    });
    return Object.fromEntries([...assets, ...texts]) as Site;
  });
const leadsTo = (page: string, text: string): string[] =>
  [...text.matchAll(/<img src="([^"]*)"/g)].map(([, src = '']) =>
    new URL(src, `http://mill.example/${page}`).pathname.slice(1),
  );

const RUNS = { numRuns: 150 * LONGER, seed: SEED };

describe('versioned names', () => {
  it('stay as they are when they are given again, and lead to what they led to before', async () => {
    await fc.assert(
      fc.asyncProperty(sites, async (site) => {
        const { published, names, uncertain } = await nameTexts(site, ['a/**']);
        expect(uncertain).toEqual([]);
        expect(Object.keys(names).sort()).toEqual(
          Object.keys(site)
            .filter((key) => key.startsWith('a/'))
            .sort(),
        );
        for (const key of Object.keys(site)) {
          const now = names[key] ?? key;
          const wanted = listNamed(site, key).map((other) => names[other] ?? other);
          expect(listNamed(published, now).sort()).toEqual(wanted.sort());
          // With the names put back, every byte is as it was.
          let plain = published[now] ?? '';
          for (const [was, becomes] of Object.entries(names)) plain = plain.replaceAll(becomes, was);
          expect(plain).toBe(site[key]);
        }
        const again = await nameTexts(published, ['a/**']);
        expect(again.published).toEqual(published);
        expect(again.names).toEqual({});
      }),
      RUNS,
    );
  });

  it('are resolved for each text by itself, where many folders have the same names', async () => {
    await fc.assert(
      fc.asyncProperty(alike, async (site) => {
        const { published, names } = await nameTexts(site, ['*.svg', '*.css', '*.png']);
        for (const [key, text] of Object.entries(site)) {
          if (!key.endsWith('.html')) continue;
          const now = published[key] ?? '';
          const wanted = leadsTo(key, text).map((target) => names[target] ?? target);
          expect([key, leadsTo(key, now)]).toEqual([key, wanted]);
          let plain = now;
          for (const [was, becomes] of Object.entries(names))
            plain = plain.replaceAll(becomes.replace(/^.*\//, ''), was.replace(/^.*\//, ''));
          expect(plain).toBe(text);
        }
      }),
      RUNS,
    );
  });

  it('do not depend on the order of files', async () => {
    await fc.assert(
      fc.asyncProperty(sites, async (site) => {
        const turned = Object.fromEntries(Object.entries(site).reverse());
        expect((await nameTexts(turned, ['a/**'])).published).toEqual(
          (await nameTexts(site, ['a/**'])).published,
        );
      }),
      RUNS,
    );
  });

  it('change with their content, and with that of all that they refer to, and with nothing else', async () => {
    await fc.assert(
      fc.asyncProperty(sites, fc.nat(), async (site, which) => {
        const keys = Object.keys(site).filter((key) => key.startsWith('a/'));
        const changed = keys[which % Math.max(1, keys.length)];
        if (changed === undefined) return;
        const before = await nameTexts(site, ['a/**']);
        const after = await nameTexts({ ...site, [changed]: `${site[changed] ?? ''}\n` }, ['a/**']);
        const reaches = (from: string): Set<string> => {
          const met = new Set([from]);
          for (const key of met) for (const other of listNamed(site, key)) met.add(other);
          return met;
        };
        for (const key of keys)
          expect([key, before.names[key] !== after.names[key]]).toEqual([key, reaches(key).has(changed)]);
      }),
      RUNS,
    );
  });

  it('leave every byte alone where nothing matches', async () => {
    await fc.assert(
      fc.asyncProperty(sites, async (site) => {
        expect((await nameTexts(site, ['b/**'])).published).toEqual(site);
      }),
      RUNS,
    );
  });
});

/** Stands for any hash. */
const masked = (text: string): string => text.replace(/\.[0-9a-f]{8}(?=\.)/g, '.HASH');
const TARGETS: Site = {
  'a/x.png': 'x',
  'a/y.css': '',
  'a/m.js': 'export {}',
  'a/d/n.js': '1',
  'a/t.json': '{}',
};

test.each<[what: string, key: string, text: string, becomes: string]>([
  [
    'attributes',
    'p.html',
    '<img src=a/x.png><a href=" /a/x.png?b#c ">',
    '<img src=a/x.HASH.png><a href=" /a/x.HASH.png?b#c ">',
  ],
  [
    'srcset',
    'p.html',
    '<img srcset="a/x.png?1&amp;2 1x,\n/a/x.png 2x">',
    '<img srcset="a/x.HASH.png?1&amp;2 1x,\n/a/x.HASH.png 2x">',
  ],
  [
    'a preload for one of several pictures',
    'p.html',
    '<link rel=preload as=image imagesrcset="/a/x.png 1x">',
    '<link rel=preload as=image imagesrcset="/a/x.HASH.png 1x">',
  ],
  [
    'style attributes',
    'p.html',
    '<p style="background:url(&quot;a/x.png&quot;)">',
    '<p style="background:url(&quot;a/x.HASH.png&quot;)">',
  ],
  [
    'styles in a page',
    'p.html',
    '<style>@import "a/y.css"; p{background:url( a/x.png )}</style>',
    '<style>@import "a/y.HASH.css"; p{background:url( a/x.HASH.png )}</style>',
  ],
  [
    'meta pictures under the own host',
    'p.html',
    '<meta property="og:image" content="https://www.mill.example/a/x.png">',
    '<meta property="og:image" content="https://www.mill.example/a/x.HASH.png">',
  ],
  [
    'another host',
    'p.html',
    '<img src="https://tide.example/a/x.png">',
    '<img src="https://tide.example/a/x.png">',
  ],
  ['a base', 'p.html', '<base href="/a/"><img src=x.png>', '<base href="/a/"><img src=x.HASH.png>'],
  [
    'names that are escaped',
    'p.html',
    '<img src="&#97;/x.png"><img src="%61/%78.png">',
    '<img src="a/x.HASH.png"><img src="%61/x.HASH.png">',
  ],
  [
    'modules',
    'q.js',
    'import "./a/m.js"; export * from "/a/d/n.js"; import("./a/m.js"); new URL("a/x.png", import.meta.url)',
    'import "./a/m.HASH.js"; export * from "/a/d/n.HASH.js"; import("./a/m.HASH.js"); new URL("a/x.HASH.png", import.meta.url)',
  ],
  [
    'import maps',
    'p.html',
    '<script type=importmap>{"imports":{"m":"./a/m.js","a/":"./a/"}}</script><script type=module>import "m"; import "a/d/n.js"</script>',
    '<script type=importmap>{"imports":{"m":"./a/m.HASH.js","a/":"./a/"}}</script><script type=module>import "m"; import "a/d/n.HASH.js"</script>',
  ],
  [
    'sets of pictures in styles',
    's.css',
    'p{background:image-set("a/x.png" 1x, url(a/x.png) 2x)}',
    'p{background:image-set("a/x.HASH.png" 1x, url(a/x.HASH.png) 2x)}',
  ],
  [
    'source maps',
    's.css.map',
    '{"version":3,"file":"a/y.css","sources":["a/m.js"],"mappings":""}',
    '{"version":3,"file":"a/y.HASH.css","sources":["a/m.HASH.js"],"mappings":""}',
  ],
  [
    'web manifests',
    's.webmanifest',
    '{"name":"a/x.png","icons":[{"src":"a\\/x.png"}]}',
    '{"name":"a/x.png","icons":[{"src":"a/x.HASH.png"}]}',
  ],
  [
    'feeds',
    'feed.xml',
    '<rss><channel><item><enclosure title="/a/x.png" url="/a/x.png"/></item></channel></rss>',
    '<rss><channel><item><enclosure title="/a/x.png" url="/a/x.HASH.png"/></item></channel></rss>',
  ],
  [
    'drawings',
    'd.svg',
    '<?xml version="1.0"?><?xml-stylesheet type="text/css" href="a/y.css"?><!-- a/x.png --><svg xmlns="http://www.w3.org/2000/svg"><style>p{fill:url(a/x.png)}</style><style><![CDATA[@import "a/y.css";]]></style><image title="a/x.png" href=\'a/x.png\'/><image xlink:href="/a/x&#46;png?1"/><g style="mask:url(&quot;a/x.png&quot;)" fill="url(a/x.png#g)"/><a href="#top"/></svg>',
    '<?xml version="1.0"?><?xml-stylesheet type="text/css" href="a/y.HASH.css"?><!-- a/x.png --><svg xmlns="http://www.w3.org/2000/svg"><style>p{fill:url(a/x.HASH.png)}</style><style><![CDATA[@import "a/y.HASH.css";]]></style><image title="a/x.png" href=\'a/x.HASH.png\'/><image xlink:href="/a/x.HASH.png?1"/><g style="mask:url(&quot;a/x.png&quot;)" fill="url(a/x.HASH.png#g)"/><a href="#top"/></svg>',
  ],
  [
    'drawings whose places are not sure',
    'd.svg',
    '<svg xmlns="http://www.w3.org/2000/svg" xml:base="b/"><image href="../a/x.png"/></svg>',
    '<svg xmlns="http://www.w3.org/2000/svg" xml:base="b/"><image href="../a/x.png"/></svg>',
  ],
  [
    'playlists',
    'l.m3u8',
    '#EXTM3U\r\n#EXT-X-MAP:URI="a/x.png",BYTERANGE="9@0"\r\n#EXTINF:4,a/x.png\r\n a/x.png?1 \r\n/a/y.css',
    '#EXTM3U\r\n#EXT-X-MAP:URI="a/x.HASH.png",BYTERANGE="9@0"\r\n#EXTINF:4,a/x.png\r\n a/x.HASH.png?1 \r\n/a/y.HASH.css',
  ],
  [
    'captions that name pictures',
    'c.vtt',
    'WEBVTT\n\n00:00.000 --> 00:05.000\na/x.png#xywh=0,0,9,9\r\n\n00:05.000 --> 00:06.000\na/x.png\n',
    'WEBVTT\n\n00:00.000 --> 00:05.000\na/x.HASH.png#xywh=0,0,9,9\r\n\n00:05.000 --> 00:06.000\na/x.png\n',
  ],
  [
    'models',
    'm.gltf',
    '{"asset":{"copyright":"a/x.png"},"images":[{"uri":"a\\/x.png"},{"uri":"data:,a/x.png"}],"buffers":[{"uri":"a/x.png"}]}',
    '{"asset":{"copyright":"a/x.png"},"images":[{"uri":"a/x.HASH.png"},{"uri":"data:,a/x.png"}],"buffers":[{"uri":"a/x.HASH.png"}]}',
  ],
])('%s', async (_what, key, text, becomes) => {
  const { published } = await nameTexts({ ...TARGETS, [key]: text }, ['a/**']);
  expect(masked(published[key] ?? '')).toBe(becomes);
});

test.each<[what: string, key: string, text: string, uncertain: string[]]>([
  ['a string of a script', 'q.js', 'fetch("/a/t.json")', ['a/t.json name']],
  ['pieces of a name', 'q.js', 'img.src = "/a/" + name + ".png"', ['a/x.png pieces']],
  ['a template', 'q.js', 'img.src = `a/${name}.png`', ['a/x.png pieces']],
  ['an attribute that a script may read', 'p.html', '<p data-picture="a/x.png">', ['a/x.png name']],
  ['a string of a script in a page', 'p.html', '<script>load("a/y.css")</script>', ['a/y.css name']],
  ['data', 'd.json', '{"picture":"a/x.png"}', ['a/x.png name']],
  [
    'prose, comments and other words for a picture',
    'p.html',
    '<!-- "a/x.png" --><p>"a/x.png"<img alt="a/x.png">',
    [],
  ],
  ['an address that is escaped in a script', 'q.js', 'import "./a/\\x6d.js"', ['a/m.js place']],
])('what cannot be told for certain stays: %s', async (_what, key, text, uncertain) => {
  const named = await nameTexts({ ...TARGETS, [key]: text }, ['a/**']);
  expect(named.uncertain).toEqual(uncertain);
  for (const each of uncertain) expect(Object.keys(named.published)).toContain(each.split(' ')[0]);
  expect(named.published[key]).toBe(text);
});

it('leaves a moved address what it leads to', async () => {
  const { uncertain, published } = await nameTexts(TARGETS, ['a/**'], {
    '/old.png': '/a/x.png',
    '/d/*': '/a/d/*',
  });
  expect(uncertain).toEqual(['a/d/n.js moved', 'a/x.png moved']);
  expect(Object.keys(published)).toContain('a/d/n.js');
});

it('computes integrity anew for what has other bytes, and leaves what was wrong', async () => {
  const of = (text: string): string => `sha384-${crypto.hash('sha384', text, 'base64')}`;
  const module = 'import "./m.js";';
  const page = (digest: string): string =>
    `<script type=module src="/a/n.js" integrity="${digest}"></script>`;
  const site = {
    'a/m.js': 'export {}',
    'a/n.js': module,
    'p.html': page(of(module)),
    'q.html': page(of('other')),
  };
  const { published, names } = await nameTexts(site, ['a/**']);
  const becomes = published[names['a/n.js'] ?? ''] ?? '';
  expect(becomes).not.toBe(module);
  expect(published['p.html']).toContain(of(becomes));
  expect(published['q.html']).toContain(of('other'));
});

describe('a text that was not rewritten as it was meant', () => {
  const SITE = {
    'p.html': '<p>one</p><img src="a/x.png"><img src="a/y.png" alt="a/x.png">',
    'a/x.png': 'x',
    'a/y.png': 'y',
  };
  const shifted =
    (by: number) =>
    (text: string, edits: readonly TextEdit[]): string =>
      rewriteText(
        text,
        edits.map((edit) => ({ ...edit, at: edit.at + by })),
      );
  test.each<[string, (text: string, edits: readonly TextEdit[]) => string]>([
    ['an edit too far right', shifted(1)],
    ['an edit too far left', shifted(-2)],
    ['one edit left out', (text, edits) => rewriteText(text, edits.slice(1))],
    ['a byte that has changed elsewhere', (text, edits) => rewriteText(text, edits).replace('one', 'One')],
    ['a text cut short', (text, edits) => rewriteText(text, edits).slice(0, -1)],
    [
      'the wrong name',
      (text, edits) =>
        rewriteText(
          text,
          edits.map((edit) => ({ ...edit, text: 'z.png' })),
        ),
    ],
  ])('%s: it stays as it is, and what it names keeps its name', async (_what, rewrite) => {
    const { published, uncertain } = await nameTexts(SITE, ['a/**'], {}, rewrite);
    expect(published).toMatchObject(SITE);
    expect(uncertain).toEqual(['a/x.png text', 'a/y.png text']);
  });

  it('is found by what it says, not by where it was changed', () => {
    const meant = { references: new Map([[0, 'a/x.1.png']]), mapped: new Map(), integrity: new Map() };
    const before = readObject('page', '<img src="a/x.png"><a href="b">');
    const faultOf = (text: string): string | undefined =>
      findRewriteFault(before, readAgain('page', text), meant);
    expect(faultOf('<img src="a/x.1.png"><a href="b">')).toBeUndefined();
    expect(faultOf('<img src="a/x.1.png"><a href="c">')).toMatch(/reference 2/);
    expect(faultOf('<img src="a/x.png"><a href="b">')).toMatch(/reference 1/);
    expect(faultOf('<img src="a/x.1.png">')).toMatch(/1 references/);
    expect(faultOf('<base href="/"><img src="a/x.1.png"><a href="b">')).toMatch(/base/);
    expect(faultOf('<img src="a/x.1.png"x.png"><a href="b">')).toBeUndefined();
    expect(isTakenBack('abc', 'aXc', [{ at: 1, length: 1, text: 'X' }])).toBe(true);
    expect(isTakenBack('abc', 'aXcd', [{ at: 1, length: 1, text: 'X' }])).toBe(false);
    expect(isTakenBack('abc', 'aYc', [{ at: 1, length: 1, text: 'X' }])).toBe(false);
  });

  it('and a name that nothing has any more is found over the whole site', () => {
    const reference = { use: 'image', raw: 'x.png', line: 3, at: 0, length: 5 } as const;
    const links = {
      *links() {
        yield { reference, number: 0, target: 1 };
      },
      pathAt: (_key: string, _row: number, raw: string) => `/${raw}`,
    };
    const object = (key: string, row?: number) => ({ key, type: '', content: undefined, row });
    const objects = [object('p.html', 0), object('x.png')];
    const lost = (name: string | undefined, says: string | undefined, isKept: boolean): number =>
      listLost(objects, links, {
        versioned: new Map(name === undefined ? [] : [[1, name]]),
        renamed: new Map(says === undefined ? [] : [[0, new Map([[0, says]])]]),
        keptPlain: new Set(isKept ? [1] : []),
      }).length;
    expect(lost('x.1.png', 'x.1.png', false)).toBe(0);
    expect(lost('x.1.png', undefined, true)).toBe(0);
    expect(lost(undefined, undefined, false)).toBe(0);
    expect(lost('x.1.png', undefined, false)).toBe(1);
    expect(lost('x.1.png', 'x.2.png', true)).toBe(1);
    expect(lost(undefined, 'x.1.png', false)).toBe(1);
  });
});
