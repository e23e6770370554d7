import { expect, test } from 'vitest';
import { likeNames } from './like-names.js';

test.each<[keys: string[], like: string[]]>([
  [
    ['Map.svg', 'x', 'map.svg'],
    ['Map.svg', 'map.svg'],
  ],
  [
    ['caf\u00e9.html', 'cafe\u0301.html'],
    ['caf\u00e9.html', 'cafe\u0301.html'],
  ],
  [['A/x.txt', 'a/y.txt'], []],
  [
    ['A/x.txt', 'a/X.txt'],
    ['A/x.txt', 'a/X.txt'],
  ],
  [
    ['Visit', 'visit/index.html', 'visits'],
    ['Visit', 'visit/index.html'],
  ],
  [
    ['stra\u00dfe', 'STRASSE'],
    ['stra\u00dfe', 'STRASSE'],
  ],
  [
    ['k', '\u212a', '\u0131', 'I', '\u017f', 's'],
    ['k', '\u212a', '\u0131', 'I', '\u017f', 's'],
  ],
  [
    ['a', 'a\u200d', 'b', 'b. /c'],
    ['a', 'a\u200d', 'b', 'b. /c'],
  ],
  [
    ['a', 'b', 'a/..b'],
    ['a', 'a/..b'],
  ],
  [['a', 'b'], []],
])('of %j a file system could confuse %j', (keys, like) => {
  expect(likeNames(keys)).toEqual(like);
});
