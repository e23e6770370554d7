import { expect, test } from 'vitest';
import { hasContentHash } from '../site/names.js';
import { createNameForm, DEFAULT_FORM, hashOfName, versionedNameFault } from './versioned-name.js';
import { createVersionable, versionedFault } from './versionable.js';

const DIGEST = '4f1c2a9b'.padEnd(64, '0');

test.each([
  ['assets/site.css', DEFAULT_FORM, 'assets/site.4f1c2a9b.css'],
  ['a/app.js.map', DEFAULT_FORM, 'a/app.js.4f1c2a9b.map'],
  ['LICENCE', DEFAULT_FORM, 'LICENCE.4f1c2a9b'],
  ['.hidden', DEFAULT_FORM, '.hidden.4f1c2a9b'],
  ['a.b/c d.png', '{hash}-{stem}{extension}', 'a.b/4f1c2a9b-c d.png'],
  ['x.png', '{stem}~{hash}.v{extension}', 'x~4f1c2a9b.v.png'],
])('%s by %s is %s, and is known for a versioned name', (key, form, becomes) => {
  const names = createNameForm(form);
  expect(names.versioned(key, DIGEST)).toBe(becomes);
  expect(names.isVersioned(becomes)).toBe(true);
  expect(names.isVersioned(key)).toBe(false);
});

test.each([
  ['{stem}{extension}', 'has no {hash}'],
  ['{stem}.{hash}.{hash}{extension}', 'more than once'],
  ['{hash}/{stem}{extension}', 'another folder'],
  ['{stem}.{extension}.{hash}', 'does not end in {extension}'],
  ['{stem}{hash}{extension}', 'nothing between'],
  ['{stem}?{hash}{extension}', 'would have to escape'],
  ['{stem}.{Hash}.{hash}{extension}', 'braces around something else'],
])('%s is refused: %s', (form, fault) => {
  expect(versionedNameFault(form)?.fault).toContain(fault);
  expect(versionedNameFault(versionedNameFault(form)?.becomes ?? '')).toBeUndefined();
});

test('a hash is always known for one: it has digits and letters', () => {
  for (const digest of ['1'.repeat(20) + 'a'.repeat(44), 'f'.repeat(64), '0'.repeat(64), DIGEST])
    expect(hasContentHash(`site.${hashOfName(digest)}.css`)).toBe(true);
});

test.each([
  ['**', 'assets/**'],
  ['*.html', 'assets/**'],
  ['docs/**', undefined],
  ['assets/**', undefined],
  ['*.{css,js}', undefined],
  ['robots.txt', 'assets/**'],
  ['*.txt', 'assets/**'],
  ['.well-known/**', 'assets/**'],
  ['sitemap.xml', 'assets/**'],
  ['visit/about.html', 'visit/*.{css,js}'],
  ['start.htm', 'assets/**'],
])('versioned: %s becomes %s', (pattern, becomes) => {
  expect(versionedFault(pattern, ['start.htm', 'oops.html'])?.becomes).toBe(becomes);
});

test('what is found by its address alone, and what has a hash, keeps its name whatever a pattern covers', () => {
  const { covers } = createVersionable({
    patterns: ['**'],
    keepPlain: [],
    form: DEFAULT_FORM,
    documents: ['start.txt'],
  });
  for (const [key, type] of [
    ['a/page', 'text/html; charset=utf-8'],
    ['a/start.txt', 'text/plain'],
    ['favicon.ico', 'image/x-icon'],
    ['.well-known/a.json', 'application/json'],
    ['news/feed.xml', 'application/xml'],
    ['news.rss', 'application/rss+xml'],
    ['app.3f9a2b1c.js', 'text/javascript'],
  ] as const)
    expect([key, covers(key, type)]).toEqual([key, false]);
  for (const key of ['a/favicon.ico', 'site.css', 'a/robots.txt'])
    expect([key, covers(key, '')]).toEqual([key, true]);
});
