import { describe, expect, it, test } from 'vitest';
import { isMediaRange, matchesRange, parseMediaType, typeByName, withCharset } from './media-type.js';

const TYPES: readonly [string, string | undefined][] = [
  ['index.html', 'text/html'],
  ['old.htm', 'text/html'],
  ['page.xhtml', 'application/xhtml+xml'],
  ['a.css', 'text/css'],
  ['a.js', 'text/javascript'],
  ['a.mjs', 'text/javascript'],
  ['a.cjs', 'text/javascript'],
  ['a.json', 'application/json'],
  ['a.jsonld', 'application/ld+json'],
  ['a.map', 'application/json'],
  ['a.webmanifest', 'application/manifest+json'],
  ['a.wasm', 'application/wasm'],
  ['a.xml', 'application/xml'],
  ['a.atom', 'application/atom+xml'],
  ['a.rss', 'application/rss+xml'],
  ['a.txt', 'text/plain'],
  ['a.md', 'text/markdown'],
  ['a.csv', 'text/csv'],
  ['a.tsv', 'text/tab-separated-values'],
  ['a.ics', 'text/calendar'],
  ['a.vcf', 'text/x-vcard'],
  ['a.vtt', 'text/vtt'],
  ['a.srt', 'application/x-subrip'],
  ['a.yaml', 'text/yaml'],
  ['a.svg', 'image/svg+xml'],
  ['a.png', 'image/png'],
  ['A.PNG', 'image/png'],
  ['a.jpg', 'image/jpeg'],
  ['a.jpeg', 'image/jpeg'],
  ['a.gif', 'image/gif'],
  ['a.webp', 'image/webp'],
  ['a.avif', 'image/avif'],
  ['a.ico', 'image/x-icon'],
  ['a.bmp', 'image/bmp'],
  ['a.tiff', 'image/tiff'],
  ['a.apng', 'image/apng'],
  ['a.mp4', 'video/mp4'],
  ['a.webm', 'video/webm'],
  ['a.mov', 'video/quicktime'],
  ['a.ogv', 'video/ogg'],
  ['a.m3u8', 'application/vnd.apple.mpegurl'],
  ['a.mpd', 'application/dash+xml'],
  ['a.mp3', 'audio/mpeg'],
  ['a.ogg', 'audio/ogg'],
  ['a.opus', 'audio/ogg'],
  ['a.wav', 'audio/wav'],
  ['a.flac', 'audio/x-flac'],
  ['a.m4a', 'audio/mp4'],
  ['a.woff2', 'font/woff2'],
  ['a.woff', 'font/woff'],
  ['a.ttf', 'font/ttf'],
  ['a.otf', 'font/otf'],
  ['a.eot', 'application/vnd.ms-fontobject'],
  ['a.pdf', 'application/pdf'],
  ['a.zip', 'application/zip'],
  ['a.gz', 'application/gzip'],
  ['a.epub', 'application/epub+zip'],
  ['a.gpx', 'application/gpx+xml'],
  ['a.kml', 'application/vnd.google-earth.kml+xml'],
  ['a.geojson', 'application/geo+json'],
  ['a.glb', 'model/gltf-binary'],
  ['a.gltf', 'model/gltf+json'],
  ['a.rtf', 'application/rtf'],
  ['a.docx', 'application/vnd.openxmlformats-officedocument.wordprocessingml.document'],
  ['CNAME', 'text/plain'],
  ['.well-known/apple-app-site-association', 'application/json'],
  ['noending', undefined],
  ['a.wmap', undefined],
  ['folder.d/plain', undefined],
];

test.each(TYPES)('%s is %s', (key, type) => {
  expect(typeByName(key)).toBe(type);
});

test.each([
  ['text/html', 'text/html; charset=utf-8'],
  ['application/json', 'application/json'],
  ['application/geo+json', 'application/geo+json'],
  ['image/svg+xml', 'image/svg+xml; charset=utf-8'],
  ['image/png', 'image/png'],
  ['text/html; charset=latin1', 'text/html; charset=latin1'],
  ['font/woff2', 'font/woff2'],
])('%s is sent as %s', (type, sent) => {
  expect(withCharset(type)).toBe(sent);
});

describe('media ranges', () => {
  test.each([
    ['image/*', 'image/png', true],
    ['image/*', 'text/html', false],
    ['*/*', 'text/html', true],
    ['text/html', 'text/html; charset=utf-8', true],
    ['TEXT/HTML', 'text/html', true],
    ['text/htm', 'text/html', false],
    ['application/javascript', 'text/javascript; charset=utf-8', true],
    ['text/javascript', 'application/x-javascript', true],
    ['application/*', 'text/javascript', false],
    ['application/typescript', 'text/javascript', false],
  ])('%s covers %s: %s', (range, type, covers) => {
    expect(matchesRange(range, type)).toBe(covers);
  });
  it('tells ranges from other words', () => {
    expect(['image/*', '*/*', 'text/html'].every(isMediaRange)).toBe(true);
    expect(['image', 'image/', '*/html', ''].some(isMediaRange)).toBe(false);
  });
});

it('parses parameters, quoted ones too, and never throws', () => {
  expect(parseMediaType('Text/HTML; charset="utf-8"; x=1')).toEqual({
    essence: 'text/html',
    parameters: new Map([
      ['charset', 'utf-8'],
      ['x', '1'],
    ]),
  });
  for (const text of ['', 'text', 'text/', ';', 'text/html; =', 'text/html; a="'])
    expect(parseMediaType(text)).toBeUndefined();
});
