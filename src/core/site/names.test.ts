import { expect, it, test } from 'vitest';
import {
  hasContentHash,
  hasVersion,
  hasVersionQuery,
  isLeftOut,
  looksPersonal,
  looksSecret,
  unwantedKind,
} from './names.js';

test.each([
  ['app.3f9c2a7b.js', true],
  ['main-Dk3xQz9a.css', true],
  ['chunk-7QMB4T3X.js', false],
  ['app.js', false],
  ['report-20240131.pdf', false],
  ['lib-1.12.2.js', false],
  ['decadefaced.html', false],
  ['photo-IMG12345.jpg', false],
  ['0123456789abcdef0123456789abcdef.png', true],
  ['my-Application2.js', false],
])('%s carries a content hash: %s', (key, hashed) => {
  expect(hasContentHash(key)).toBe(hashed);
});

test.each([
  ['menu-v2.js', true],
  ['lib-1.12.2.min.js', true],
  ['site.v10.css', true],
  ['theme_2.1.css', true],
  ['mill-1200.jpg', false],
  ['report-2024.pdf', false],
  ['menu.js', false],
  ['video.mp4', false],
])('%s has a version in its name: %s', (key, versioned) => {
  expect(hasVersion(key)).toBe(versioned);
});

test.each([
  ['/styles/mill.css?v=3', true],
  ['mill.css?1.12.2', true],
  ['mill.css?ver=5.1#top', true],
  ['mill.css?20251130', true],
  ['mill.css?rev=abc', true],
  ['/search?q=mill2', false],
  ['mill.css?print', false],
  ['mill.css?', false],
  ['mill-v3.css', false],
  ['mill.css?v=', false],
])('%s has a version in its query: %s', (address, versioned) => {
  expect(hasVersionQuery(address)).toBe(versioned);
});

it('knows litter and secrets by their names', () => {
  expect(['.git', '.DS_Store', 'Thumbs.db', '__MACOSX'].every(isLeftOut)).toBe(true);
  expect(['.well-known', 'a.txt'].some(isLeftOut)).toBe(false);
  expect(['server.pem', 'a/id_rsa', 'private/x', 'secrets.json', 'passwd'].every(looksSecret)).toBe(true);
  expect(['monkey.png', 'index.html', 'keynote.html', 'library/secrets.html'].some(looksSecret)).toBe(false);
});

test.each([
  ['members/list.html', true],
  ['data/subscribers.csv', true],
  ['orders.xlsx', true],
  ['visitors.html', false],
  ['news/members-day.html', false],
  ['users', false],
])('%s names a place for data about people: %s', (key, personal) => {
  expect(looksPersonal(key)).toBe(personal);
});

test.each([
  ['server.pem', 'secret'],
  ['times/index.html.bak', 'backup'],
  ['notes.txt~', 'backup'],
  ['site-2026.zip', 'archive'],
  ['leaflets.zip', undefined],
  ['assets/app.js.map', 'source-map'],
  ['maps/creek.map', undefined],
  ['index.html', undefined],
])('%s is unwanted as %s', (key, kind) => {
  expect(unwantedKind(key)).toBe(kind);
});
