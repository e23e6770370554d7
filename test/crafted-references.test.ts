/**
 * References written in every way that there may be, each in a site of its own without plain names: whatever a text says
 * once it is published leads to the bytes that it led to before.
 */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { fenestraJson, makeProject, PAGE } from './helpers/program.js';

/** The file that is named, by its ending. */
const TARGETS: Readonly<Record<string, string>> = {
  png: '\u0089PNG of a mill',
  css: 'p { color: teal }',
  js: 'export const mill = 1;',
  svg: '<svg xmlns="http://www.w3.org/2000/svg"></svg>',
  json: '{"tide":1}',
  vtt: 'WEBVTT\n',
};
const [HEAD, TAIL] = [
  '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>x</title></head><body>',
  '</body></html>',
];
const page = (inside: string): string => `${HEAD}${inside}${TAIL}`;

interface Crafted {
  /** The text's file. */
  readonly file: string;
  readonly ending: string;
  /** The text that leads to a key. */
  readonly write: (key: string) => string | Buffer;
}
const crafted: Crafted[] = [];
/** What is escaped may be written plainly once it is rewritten. */
const plainly = new Map<Crafted['write'], Crafted['write']>();
const escaped = (write: Crafted['write'], plain: Crafted['write']): Crafted['write'] => {
  plainly.set(write, plain);
  return write;
};
const add = (file: string, ending: string, ...writes: ((key: string) => string | Buffer)[]): void => {
  for (const write of writes) crafted.push({ file, ending, write });
};
const [dirOf, nameOf] = [
  (key: string) => key.replace(/[^/]*$/, ''),
  (key: string) => key.replace(/^.*\//, ''),
];
const hex = (text: string): string => [...text].map((c) => `\\x${c.charCodeAt(0).toString(16)}`).join('');
const entities = (text: string): string => [...text].map((c) => `&#${c.charCodeAt(0)};`).join('');
const percent = (text: string): string => [...text].map((c) => `%${c.charCodeAt(0).toString(16)}`).join('');
const ends = (key: string): [stem: string, ending: string] => {
  const at = key.lastIndexOf('.');
  return [key.slice(0, at), key.slice(at)];
};

// Pages: attributes, in all quotes and escapes.
for (const tag of [
  'img src',
  'input type=image src',
  'video poster',
  'body background',
  'td background',
  'object data',
  'embed src',
  'iframe src',
  'link rel=icon href',
  'link rel=preload as=image href',
  'link rel=apple-touch-icon href',
  'a href',
  'area href',
  'source src',
  'audio src',
  'blockquote cite',
])
  add(
    'x.html',
    'png',
    (key) => page(`<${tag}="${key}">`),
    (key) => page(`<${tag}='/${key}'>`),
    (key) => page(`<${tag}=./${key}>`),
  );
add(
  'x.html',
  'png',
  (key) => page(`<img src="${key}?v=1#top">`),
  (key) => page(`<img src="  ${key}\n">`),
  escaped(
    (key) => page(`<img src="${entities(key)}">`),
    (key) => page(`<img src="${key}">`),
  ),
  (key) => page(`<img src="b/../${key}">`),
  (key) => page(`<IMG SRC="${key}">`),
  (key) => page(`<img srcset="${key} 1x, ${key} 2x">`),
  (key) => page(`<img srcset="${key} 320w,${key}?2 640w" src="${key}">`),
  (key) => page(`<picture><source srcset="${key}"><img src="${key}" alt=""></picture>`),
  (key) => page(`<link rel=preload as=image imagesrcset="${key} 1x">`),
  (key) => page(`<p style="background: url(${key})">x</p>`),
  (key) => page(`<p style='background: url("${key}")'>x</p>`),
  (key) => page(`<p style="background: url(&quot;${key}&quot;)">x</p>`),
  (key) => page(`<style>p { background: url(${key}) }</style>`),
  (key) => page(`<style>p { --u: url('${key}'); background: var(--u) }</style>`),
  (key) => page(`<style>p { background: image-set("${key}" 1x) }</style>`),
  (key) => page(`<svg><image href="${key}"/></svg>`),
  (key) => page(`<svg><image xlink:href="${key}"/></svg>`),
  (key) => page(`<base href="a/"><img src="${nameOf(key)}">`),
  (key) => page(`<meta property="og:image" content="/${key}">`),
  (key) => page(`<noscript><img src="${key}"></noscript>`),
  (key) => page(`<template><img src="${key}"></template>`),
  (key) => page(`<!-- <img src="${key}"> -->`),
  (key) => page(`<img data-src="${key}">`),
  (key) => page(`<div data-pictures='["${key}"]'></div>`),
  (key) => page(`<mill-picture file="${key}"></mill-picture>`),
  (key) => page(`<a href="javascript:show('${key}')">x</a>`),
  (key) => page(`<button onclick="show('${key}')">x</button>`),
  (key) => page(`<iframe srcdoc="<img src='${key}'>"></iframe>`),
  (key) => page(`<iframe srcdoc="&lt;img src=${key}&gt;"></iframe>`),
  (key) => page(`<script type="application/ld+json">{"image":"${key}"}</script>`),
  (key) => page(`<script type="text/x-template"><img src="${key}"></script>`),
  (key) => page(`<script>new Image().src = "${key}"</script>`),
  (key) => page(`<script>document.write('<img src="${key}">')</script>`),
  (key) => page(`<textarea><img src="${key}"></textarea>`),
  (key) => page(`<p>${key}</p>`),
  escaped(
    (key) => page(`<img src="${dirOf(key)}${percent(nameOf(key))}">`),
    (key) => page(`<img src="${key}">`),
  ),
  (key) => page(`<img src="${key}"><a id="top"/><img src="${key}">`),
  (key) =>
    `<?xml version="1.0"?>\n<html xmlns="http://www.w3.org/1999/xhtml"><head><title>x</title></head><body><a id="t"/><img src="${key}"/></body></html>`,
  (key) =>
    `<?xml version="1.0"?>\n<html xmlns="http://www.w3.org/1999/xhtml"><body><div/><p style="background:url(${key})"/><img alt="&quot;" src="${key}"/></body></html>`,
  (key) => Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(page(`<img src="${key}">`), 'utf16le')]),
  (key) =>
    Buffer.concat([Buffer.from([0xfe, 0xff]), Buffer.from(page(`<img src="${key}">`), 'utf16le').swap16()]),
  (key) =>
    Buffer.concat([Buffer.from('<p>caf\u00e9</p>', 'latin1'), Buffer.from(page(`<img src="${key}">`))]),
);
add(
  'x.html',
  'css',
  (key) => page(`<link rel=stylesheet href="${key}">`),
  (key) => page(`<style>@import "${key}";</style>`),
  (key) => page(`<style>@import url(${key}) screen;</style>`),
  (key) => page(`<link rel="alternate stylesheet" title=x href=${key}>`),
  (key) => page(`<link rel=preload as=style href=${key}>`),
  (key) => page(`<script>document.head.innerHTML += '<link rel=stylesheet href=${key}>'</script>`),
);
add(
  'x.html',
  'js',
  (key) => page(`<script src="${key}"></script>`),
  (key) => page(`<script type=module src="${key}"></script>`),
  (key) => page(`<script type=module>import "./${key}"</script>`),
  (key) => page(`<script type=module>export * from "/${key}"</script>`),
  (key) => page(`<script type=module>import("./${key}")</script>`),
  (key) => page(`<link rel=modulepreload href="${key}">`),
  (key) => page(`<script type=importmap>{"imports":{"mill":"./${key}"}}</script>`),
  (key) => page(`<script type=importmap>{"scopes":{"/b/":{"mill":"/${key}"}}}</script>`),
  (key) => page(`<script>new Worker("${key}")</script>`),
  (key) => page(`<script>navigator.serviceWorker.register('/${key}')</script>`),
);
add('x.html', 'vtt', (key) => page(`<video><track default src="${key}"></video>`));
add(
  'x.html',
  'svg',
  (key) => page(`<svg><use href="${key}#a"/></svg>`),
  (key) => page(`<svg><use xlink:href="${key}#a"/></svg>`),
  (key) => page(`<p style="filter: url(${key}#f)">x</p>`),
  (key) => page(`<p style="mask: url('${key}#m')">x</p>`),
);
// Styles.
add(
  'x.css',
  'png',
  (key) => `p { background: url(${key}) }`,
  (key) => `p { background: url( "${key}" ) }`,
  (key) => `p { background: URL('/${key}') }`,
  escaped(
    (key) => `p { background: url(${dirOf(key)}${nameOf(key).replace('.', '\\.')}) }`,
    (key) => `p { background: url(${key}) }`,
  ),
  escaped(
    (key) => `p { background: url(${key.replace('p', '\\70 ')}) }`,
    (key) => `p { background: url(${key}) }`,
  ),
  escaped(
    (key) => `p { background: url("${key.replace('/', '\\2f ')}") }`,
    (key) => `p { background: url("${key}") }`,
  ),
  (key) => `:root { --u: url(${key}) }`,
  (key) => `:root { --u: "${key}" }`,
  (key) => `p { background: -webkit-image-set(url(${key}) 1x, "${key}" 2x) }`,
  (key) => `/* ${key} */ p { color: teal }`,
  (key) => `p::after { content: "${key}" }`,
  (key) => `@media print { p { background: url(${key}) } }`,
  (key) => `p { background: url(${key}`,
  (key) => `@charset "utf-8"; p { cursor: url(${key}), auto }`,
);
add(
  'x.css',
  'css',
  (key) => `@import "${key}";`,
  (key) => `@import url(${key}) layer(base) supports(display: grid) (min-width: 1px);`,
  (key) => `@import '${key}' screen`,
);
// Scripts.
for (const quote of ['"', "'", '`'])
  add(
    'x.js',
    'png',
    (key) => `load(${quote}${key}${quote})`,
    (key) => `load(${quote}/${key}?v=1${quote})`,
    (key) => `load(${quote}${dirOf(key)}${quote} + ${quote}${nameOf(key)}${quote})`,
  );
add(
  'x.js',
  'png',
  (key) => `load("${hex(key)}")`,
  (key) => `load("${key.replace('/', '\\x2f')}")`,
  (key) => `load("${key.replace('.', '\\u002e')}")`,
  (key) => `load("${key.replace('.', '\\u{2e}')}")`,
  (key) => `load("${key.replace('/', '\\/')}")`,
  (key) => `box.innerHTML = "<img src=${key}>"`,
  (key) => `box.innerHTML = "<img src=\\"${key}\\">"`,
  (key) => `load(["${key}"][0])`,
  (key) => `const at = { "${key}": 1 }`,
  (key) => `load(dir + "/${nameOf(key)}")`,
  (key) => `load(\`\${dir}/${nameOf(key)}\`)`,
  (key) => `load("${ends(key)[0]}" + "${ends(key)[1]}")`,
  (key) => `load("a/".concat("${nameOf(key)}"))`,
  (key) => `load(new URL("./${key}", import.meta.url))`,
  (key) => `new URL('${key}', import.meta.url).href`,
  (key) => `// ${key}\nload(1)`,
  (key) => `/* ${key} */ load(1)`,
  (key) => `load(/${key.replace('/', '\\/').replace('.', '\\.')}/)`,
  (key) => `load("${dirOf(key)}\\\n${nameOf(key)}")`,
);
add(
  'x.js',
  'js',
  (key) => `import "./${key}";`,
  (key) => `import { mill } from "/${key}";`,
  (key) => `export * from "./${key}";`,
  (key) => `import("./${key}")`,
  (key) => `const m = await import('./${key}')`,
  (key) => `importScripts("${key}")`,
  (key) => `require("./${key}")`,
  (key) => `new Worker(new URL("./${key}", import.meta.url))`,
);
add(
  'x.js',
  'json',
  (key) => `import tides from "./${key}" with { type: "json" };`,
  (key) => `fetch("${key}")`,
  (key) => `fetch('/${key}').then((r) => r.json())`,
);
// What no browser reads, or reads by other rules.
const others: Readonly<Record<string, (key: string) => string | Buffer>> = {
  'x.m3u8': (key) => `#EXTM3U\n#EXT-X-MAP:URI="${key}"\n${key}\n`,
  'x.mpd': (key) => `<MPD><BaseURL>${key}</BaseURL></MPD>`,
  'x.gltf': (key) => `{"images":[{"uri":"${key}"}]}`,
  'x.vtt': (key) => `WEBVTT\n\n00:00.000 --> 00:05.000\n${key}#xywh=0,0,9,9\n`,
  'x.srt': (key) => `1\n00:00:00,000 --> 00:00:05,000\n${key}\n`,
  'x.md': (key) => `![p](${key})`,
  'x.yaml': (key) => `picture: ${key}\n`,
  'x.toml': (key) => `picture = "${key}"\n`,
  'x.ini': (key) => `picture=${key}\n`,
  'x.csv': (key) => `mill,${key}\n`,
  'x.tsv': (key) => `mill\t${key}\n`,
  'x.txt': (key) => `see ${key}.`,
  'x.mtl': (key) => `map_Kd ${key}\n`,
  'x.fnt': (key) => `page id=0 file="${nameOf(key)}"\n`,
  'x.json': (key) => `{"picture":"${key.replace('/', '\\/')}"}`,
  'y.json': (key) => `{"picture":"${nameOf(key)}","folder":"a"}`,
  'z.json': (key) => `{"picture":"${key.replace('.', '\\u002e')}"}`,
  'x.geojson': (key) => `{"icon":"/${key}"}`,
  'x.webmanifest': (key) => `{"icons":[{"src":"${key}"}]}`,
  'y.webmanifest': (key) => `{"file_handlers":[{"icons":[{"src":"${key}"}]}]}`,
  'x.xml': (key) => `<x file="${key}"/>`,
  'y.xml': (key) => `<x xml:base="a/"><y href="${nameOf(key)}"/></x>`,
  'z.xml': (key) => `<x>${entities(key)}</x>`,
  'x.rss': (key) => `<rss><channel><item><enclosure url="/${key}"/></item></channel></rss>`,
  'sitemap.xml': (key) => `<urlset><url><image:loc>/${key}</image:loc></url></urlset>`,
  'x.svg': (key) => `<svg xmlns="http://www.w3.org/2000/svg"><image href="${key}"/></svg>`,
  'y.svg': escaped(
    (key) => `<svg xmlns="http://www.w3.org/2000/svg"><image href="${key.replace('.', '&#46;')}"/></svg>`,
    (key) => `<svg xmlns="http://www.w3.org/2000/svg"><image href="${key}"/></svg>`,
  ),
  'z.svg': (key) => `<svg xmlns="http://www.w3.org/2000/svg"><style>rect { fill: url(${key}) }</style></svg>`,
  'w.svg': (key) =>
    `<svg xmlns="http://www.w3.org/2000/svg" xml:base="a/"><image href="${nameOf(key)}"/></svg>`,
  'x.xsl': (key) => `<x:s xmlns:x="http://www.w3.org/1999/XSL/Transform"><img src="${key}"/></x:s>`,
  'x.ics': (key) => `ATTACH:/${key}\n`,
  'x.vcf': (key) => `PHOTO:/${key}\n`,
  'x.bin': (key) => Buffer.concat([Buffer.from([0, 1, 255]), Buffer.from(key), Buffer.from([0])]),
  'y.bin': (key) => Buffer.concat([Buffer.from([0, 1, 255]), Buffer.from(key, 'utf16le')]),
  'x.appcache': (key) => `CACHE MANIFEST\n${key}\n`,
  'humans.txt': (key) => `picture: /${key}`,
  'x.map': (key) => `{"version":3,"sources":["${key}"]}`,
  extensionless: (key) => `a = ${key}\n`,
};
for (const [file, write] of Object.entries(others)) add(file, 'png', write);

const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
versioned: ["a/**"]
keepPlain: false
`;

test('there are more than two hundred', () => {
  expect(crafted.length).toBeGreaterThan(200);
});

test.each(
  crafted.map((each, at): [string, Crafted] => [
    `${at} ${each.file}: ${each.write(`a/p.${each.ending}`).toString().replace(HEAD, '').replace(TAIL, '').slice(0, 100)}`,
    each,
  ]),
)('%s', async (_name, { file, ending, write }) => {
  const target = TARGETS[ending] ?? '';
  const home = makeProject(
    { [`site/${file}`]: write(`a/p.${ending}`), [`site/a/p.${ending}`]: target, 'site/home.html': PAGE },
    CONFIG,
  );
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'bucket', 'export', 'copy');
  const lines = readFileSync(join(home, 'copy/headers.jsonl'), 'utf8').trim().split('\n');
  const objects = lines.map((line) => JSON.parse(line) as { key: string; digest: string });
  const digest = createHash('sha256').update(target).digest('hex');
  const names = objects.filter((object) => object.digest === digest).map(({ key }) => key);
  const published = readFileSync(join(home, 'copy', file));
  // It is as it would be written for one of the names under which the bytes are.
  const ways = [write, plainly.get(write) ?? write];
  expect(names.flatMap((key) => ways.map((way) => Buffer.from(way(key)).toString('latin1')))).toContain(
    published.toString('latin1'),
  );
});
