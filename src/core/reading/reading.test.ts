import { describe, expect, it, test } from 'vitest';
import { hashOf } from './fragments.js';
import { readFeed, readManifest } from './read-data.js';
import { readPage } from './page/read-page.js';
import { readImports, readScript } from './read-script.js';
import { readStyle } from './read-style.js';

const of = (reading: { references: readonly { use: string; raw: string; line: number }[] }): string[] =>
  reading.references.map(({ use, raw, line }) => `${line} ${use} ${raw}`);

describe('references in pages', () => {
  test.each<[string, string[]]>([
    ['<a href=" /a ">x</a><map><area href="/b"></map>', ['1 link /a', '1 link /b']],
    [
      '<img src="/a.png" srcset="/b.png 1x,\n /c,d.png 2x">',
      ['1 image /a.png', '1 image /b.png', '1 image /c,d.png'],
    ],
    [
      '<picture>\n<source srcset="/a.avif" type="image/avif"><img src="/b.png"></picture>',
      ['2 image /a.avif', '2 image /b.png'],
    ],
    [
      '<video poster="/p.jpg"><source src="/v.mp4"><track src="/v.vtt"></video>',
      ['1 image /p.jpg', '1 media /v.mp4', '1 captions /v.vtt'],
    ],
    [
      '<link rel="stylesheet" href="/a.css"><link rel="icon" href="/i.ico"><link rel="preconnect" href="//x.example">',
      ['1 style /a.css', '1 image /i.ico'],
    ],
    [
      '<link rel="preload" as="font" href="/f.woff2"><link rel="modulepreload" href="/m.js"><link rel="canonical" href="/c">',
      ['1 font /f.woff2', '1 module /m.js', '1 identity /c'],
    ],
    [
      '<script src="/a.js"></script><script type="module" src="/b.js"></script><script type="text/x-note" src="/n"></script>',
      ['1 script /a.js', '1 module /b.js', '1 data /n'],
    ],
    [
      '<iframe src="/a"></iframe><embed src="/b"><object data="/c"></object>',
      ['1 frame /a', '1 frame /b', '1 frame /c'],
    ],
    [
      '<form method="post" action="/send"><button formaction="/other">go</button></form>',
      ['1 form /send', '1 form /other'],
    ],
    [
      '<meta http-equiv="refresh" content="0;URL=\'/next\'"><meta property="og:image" content="/card.png">',
      ['1 link /next', '1 identity /card.png'],
    ],
    [
      '<p style="background:url(/a.png)">x</p>\n<style>\n@import "/b.css";\n.c{background:url("/c.png")}</style>',
      ['1 image /a.png', '3 style /b.css', '4 image /c.png'],
    ],
    [
      '<svg><use href="/s.svg#owl"></use><image xlink:href="/i.png"></image><a href="/l"></a></svg>',
      ['1 image /s.svg#owl', '1 image /i.png', '1 link /l'],
    ],
    ['<img\n  alt=""\n  src="/late.png">', ['3 image /late.png']],
    ['<!-- <a href="/no">x</a> --><noscript><img src="/yes.png"></noscript>', ['1 image /yes.png']],
    ['<q cite="/source">x</q><dialog><form method="dialog"></form></dialog>', ['1 link /source']],
  ])('%s', (text, expected) => {
    expect(of(readPage(text))).toEqual(expected);
  });
  test.each<[string, boolean]>([
    ['<p>Text</p>', false],
    ['<img src="/a.png" alt="">', false],
    ['<title>Mill</title><script>1</script><style>b{}</style><div> \n</div>', true],
    ['<template>Hidden</template>', true],
  ])('%s shows nothing: %s', (text, empty) => {
    expect(readPage(text).empty).toBe(empty);
  });
  it('knows its mode, its base, its anchors and what it asks for', () => {
    const page = readPage(
      '<base href="/sub/"><h1 id="a">x</h1><a name="b"></a><script>\nnavigator.clipboard.writeText("")</script>',
    );
    expect([page.quirksMode, page.base, [...(page.anchors ?? [])]]).toEqual([
      true,
      '/sub/',
      ['a', 'b'].map(hashOf),
    ]);
    expect(page.secureFeatures).toEqual([{ feature: 'the clipboard', line: 2 }]);
    expect(readPage('<!doctype html>').quirksMode).toBe(false);
  });
});

describe('references in styles, scripts and data', () => {
  it('styles: fonts, pictures, imports, source maps; broken ones as far as they go', () => {
    const text =
      '@import url(a.css) screen;\n@font-face{src:url(f.woff2) format("woff2")}\nb{background:URL( "b.png" )}\n}}}c{d:url(e.png\n/*# sourceMappingURL=x.map */';
    expect(of(readStyle(text)).slice(0, 3)).toEqual(['1 style a.css', '2 font f.woff2', '3 image b.png']);
    expect(of(readStyle('a{}'))).toEqual([]);
  });
  it('scripts: what is written out, and nothing that is put together', () => {
    const text =
      'import a from "./a.js";\nexport * from \'./b.js\';\nimport("./c.js"); import(`./${d}.js`); import(e);\nimport f from "./f.json" with { type: "json" };';
    expect(readImports(text).map(({ use, raw, line }) => `${line} ${use} ${raw}`)).toEqual([
      '1 module ./a.js',
      '2 module ./b.js',
      '3 module ./c.js',
      '4 data ./f.json',
    ]);
    expect(of(readScript('let a = 1;\n//# sourceMappingURL=a.js.map\n'))).toEqual(['2 source map a.js.map']);
    expect(readImports('import {')).toEqual([]);
  });
  it('manifests and feeds', () => {
    expect(
      of(
        readManifest(
          '{"start_url":"/",\n"icons":[{"src":"i.png","type":"image/png"},null,7],"shortcuts":[{"url":"/s"}]}',
        ),
      ),
    ).toEqual(['1 link /', '2 image i.png', '2 link /s']);
    expect([readManifest('[]').fault?.because, readManifest('{"a":1,}').fault?.line]).toEqual([
      'it is no JSON object',
      1,
    ]);
    expect(
      of(
        readFeed(
          '<rss><channel>\n<link>https://a.example/</link><item><enclosure url="/e.mp3"/><title>x</title></item></channel></rss>',
        ),
      ),
    ).toEqual(['2 identity https://a.example/', '2 identity /e.mp3']);
    expect(readFeed('<feed>\n<a></feed>').fault?.line).toBe(2);
  });
});
