import { expect, test } from 'vitest';
import { KeyIndex } from './near-key.js';

const KEYS = [
  'film/wheel.mp4',
  'index.html',
  'menu.js.txt',
  'M\u00fchle.html',
  'times/index.html',
  'visit.html',
];

test.each<[string, string | undefined, RegExp]>([
  ['INDEX.html', 'index.html', /case of letters/],
  ['Mu\u0308hle.html', 'M\u00fchle.html', /composed otherwise/],
  ['visit', 'visit.html', /has an ending/],
  ['times', 'times/index.html', /has an ending/],
  ['menu.js', 'menu.js.txt', /published as menu\.js\.txt/],
  ['film/wheel.webm', 'film/wheel.mp4', /extension differs/],
  ['vist.html', 'visit.html', /spelt almost so/],
  ['nothing/like/it.html', undefined, /^$/],
  ['', undefined, /^$/],
  ['constructor', undefined, /^$/],
])('%s: %s', (key, near, because) => {
  const found = new KeyIndex(KEYS).near(key);
  expect(found?.key).toBe(near);
  expect(found?.because ?? '').toMatch(because);
});

test('a name that is right is near nothing, and of many keys only the folder is searched', () => {
  expect(new KeyIndex(KEYS).sameLetters('index.html')).toBeUndefined();
  const many = Array.from({ length: 5000 }, (_, at) => `f${at}/page.html`);
  expect(new KeyIndex(many).near('f77/pagee.html')?.key).toBe('f77/page.html');
  expect(new KeyIndex(many).near('other/pagee.html')).toBeUndefined();
});
