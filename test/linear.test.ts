import { decodeHTMLAttribute } from 'entities';
import { expect, test } from 'vitest';
import { isMediaRange, matchesRange, parseMediaType } from '../src/core/assign/media-type.js';
import { parsePattern, patternFault } from '../src/core/assign/pattern.js';
import { parseCacheControl } from '../src/core/caching/cache-control.js';
import { parseDuration } from '../src/core/caching/duration.js';
import { parseHttpDate } from '../src/core/caching/http-date.js';
import { parseCache } from '../src/core/caching/policy.js';
import { parseSrcset } from '../src/core/reading/page/srcset.js';
import { listJsonStrings } from '../src/core/reading/json-strings.js';
import { placeWritten } from '../src/core/reading/written.js';
import { createNameFinder } from '../src/core/reading/names-in-text.js';
import { versionedNameFault } from '../src/core/versioning/versioned-name.js';
import { readCaptions, readPlaylist } from '../src/core/reading/read-lists.js';
import { readSvg } from '../src/core/reading/read-svg.js';
import { NameOccurrences } from '../src/core/versioning/occurrences.js';
import { scanPage } from '../src/core/reading/page/scan-page.js';
import { readPage } from '../src/core/reading/page/read-page.js';
import { decideRange } from '../src/core/hosting/byte-range.js';
import { resolveHost } from '../src/core/hosting/host.js';
import { decidePreconditions, ifRangeHolds } from '../src/core/hosting/preconditions.js';
import { parseTarget } from '../src/core/hosting/target.js';
import { suggestBucketName } from '../src/core/release/bucket-name.js';
import { hasContentHash, looksPersonal, looksSecret, unwantedKind } from '../src/core/site/names.js';
import { visible } from '../src/report/text/paint.js';

const FIND_NAMES = createNameFinder(['png', 'css', 'js']);
const NO_READING = { kind: 'page', references: [] } as const;
const own = { etag: '"mill"', lastModified: 0 };

/** Every parser that a stranger's text can reach, and what makes careless ones slow. */
const PARSERS: readonly (readonly [string, (text: string) => unknown, readonly string[]])[] = [
  ['Range', (text) => decideRange(`bytes=0-0${text}x`, 100), [',', ', ', ' ', '1-2,', '0', '-1,', ',,1-1']],
  [
    'If-None-Match',
    (text) => decidePreconditions({ 'if-none-match': text }, own),
    ['"a",', '"', 'W/', 'W/"', ' ,'],
  ],
  ['If-Match', (text) => decidePreconditions({ 'if-match': text }, own), ['"a",', '"', 'W/"x"', '*']],
  ['If-Range', (text) => ifRangeHolds({ 'if-range': text }, own), ['"', ' ', 'W/', 'Sun, ']],
  ['dates', parseHttpDate, ['Sun, 06 Nov ', ' ', '0', 'Sunday, ']],
  ['targets', (text) => parseTarget(`/${text}`.slice(0, 8000)), ['%', '%2', '/', '?', '#', '%41', '..//']],
  ['absolute targets', (text) => parseTarget(`http://${text}`.slice(0, 8000)), ['/', 'a', '?', '#']],
  ['Host', (text) => resolveHost(text, [{ name: 'mill', domains: [] }]), [':', '.', 'a', '1.', '[', ':1']],
  ['media types', parseMediaType, ['a', ';', 'text/html; a=', '; a="\\', '; a="b"', ' ', '/']],
  ['media ranges', isMediaRange, ['*', '*/', ' ', 'a/']],
  ['media ranges on a type', (text) => matchesRange('image/*', text), ['image/', ';', ' ']],
  ['Cache-Control', parseCacheControl, [',', 'max-age=1,', 'a="', 'a="\\', 'a=b"', ' ', '=']],
  ['cache values', (text) => parseCache(text), ['1 day ', ' ', 'until ', '1', 'forever']],
  ['durations', parseDuration, [' ', '1', '1 ', 'day', '-', '.']],
  [
    'drawings',
    (text) => readSvg(`<svg xmlns="a"><!-- ${text} --><a b='${text.replace(/[<'&]/g, '')}'/></svg>`),
    ['<!DOCTYPE', ' xml:base ', '<!ENTIT', 'url(', '"', '/', ' ', '>'],
  ],
  ['drawings that are none', readSvg, ['<!DOCTYPE', '<', '<a b="', '<![CDATA[', '<!--', '<?']],
  ['playlists', readPlaylist, ['URI="', '#', '\r', '\n', ' ', 'a']],
  ['captions', readCaptions, ['#xywh=', 'a', '\n', ' ', '#xywh=1\n']],
  [
    'names anywhere',
    (text) => new NameOccurrences(['p.png', 'a b.css']).findInText(text, () => undefined),
    ['&', '\\', '%41', '&#46;', '\\70 ', 'p.pn', '.png', '\\u{', '\\\n'],
  ],
  ['srcset', parseSrcset, [',', 'a 1x,', 'a (', ' ', 'a,', '\t, ', ')']],
  ['names with a hash', hasContentHash, ['a', 'A', 'aA', '.', '-3f9c2a7b', 'a1', '.a']],
  ['names of secrets', looksSecret, ['.env', 'private', '/', 'a.pem', '.']],
  ['names of people', looksPersonal, ['members', '/', 'users.', 'form-']],
  ['unwanted names', unwantedKind, ['site-', '.tar', '#', '~', '.bak']],
  ['bucket names', suggestBucketName, ['-', 'a-', 'é', ' ', '_']],
  ['foreign text', visible, ['\u001b', '\u001b[31m', '\u009b', 'a', '\r']],
  [
    'pages',
    (text) => readPage(`<!doctype html><p>${text}`),
    ['<a href="', '<!--', '<img srcset="a 1x, ', '<meta http-equiv=refresh content="1; url='],
  ],
  [
    'names in scripts',
    (text) => FIND_NAMES('script', text, NO_READING),
    ['"a/" + b + ".png"', '"', '`a/${', '.png', '"a.png" ', "'x' +", '/', '${', '}.png`'],
  ],
  [
    'names in pages',
    (text) => FIND_NAMES('page', text, NO_READING),
    ['<a x="', '<script>"a.png"', '<!--', '.png', '<b ', ' a=a.png', '</script', '"'],
  ],
  ['strings of JSON', (text) => [...listJsonStrings(`["${text}"]`)], ['\\\\', 'a', '","', '[', '{"a":']],
  [
    'values with character references',
    (text) => placeWritten({ value: decodeHTMLAttribute(text), written: text, at: 0 }, 3, 5),
    ['&amp;', '&', '&#38', '\r\n', '&a'],
  ],
  ['forms of names', versionedNameFault, ['{stem}', '{hash}', '{', '}', '.']],
  [
    'scans of pages',
    (text) => scanPage(`<!doctype html>${text}`),
    [
      ...[
        '<div>',
        '<li>',
        '<p>x',
        '<b>',
        '<svg>',
        '<table><tr><td>',
        '<a href=/x></a>',
        '<a\nhref=/x\nid=y></a>',
      ],
      ...['<i x', '</p>', '<!--x-->', '<script></script>', '<div><li></li>', '<p><object>', '<x-y>', '&amp;'],
    ],
  ],
];

/** The least of a few tries, in milliseconds: what else the machine does only adds. */
function time(work: () => unknown): number {
  let least = Infinity;
  for (let tries = 0; tries < 4; tries++) {
    const began = performance.now();
    work();
    least = Math.min(least, performance.now() - began);
  }
  return least;
}

test.each(PARSERS)('%s take time that grows with their length, not faster', (_name, parse, pieces) => {
  for (const piece of pieces) {
    const of = (length: number): string => piece.repeat(Math.ceil(length / piece.length));
    const [once = 0, twice = 0, first = 0] = [4_000, 8_000, 16_000].map((length) =>
      time(() => parse(of(length))),
    );
    const most = Math.max(60, once * 10);
    // A busy machine may be busy for all of a few tries: the least of more counts.
    let four = first;
    for (let more = 0; four >= most && more < 5; more++)
      four = Math.min(
        four,
        time(() => parse(of(16_000))),
      );
    // Quadratic work takes 16 times as long, and more than an instant.
    expect(four, `${piece}: ${once.toFixed(2)}, ${twice.toFixed(2)}, ${four.toFixed(2)} ms`).toBeLessThan(
      most,
    );
  }
});

test('patterns match in time that grows with the key, and long ones are refused', () => {
  for (const pattern of [
    '**/*a*b*c*d*e',
    '*a*a*a*a*a*a*a*a*b',
    '**/**/**/**/**/x',
    '{a,b,c}*{a,b,c}*x',
    '*.{a,b}*[ab]*c',
  ]) {
    const matches = parsePattern(pattern);
    const [once = 0, , four = 0] = [250, 500, 1000].map((length) => time(() => matches('a'.repeat(length))));
    expect(four, `${pattern}: ${once.toFixed(2)}, ${four.toFixed(2)} ms`).toBeLessThan(
      Math.max(20, once * 10),
    );
  }
  expect(patternFault('*'.repeat(70_000))?.fault).toMatch(/long/);
});
