import { expect, test } from 'vitest';
import { findMeetingNames } from './meeting-names.js';

const ALL = { foldsCase: true, normalises: true };
test.each<[keys: string[], folding: typeof ALL, meets: string[] | undefined]>([
  [['Map.svg', 'map.svg'], ALL, ['Map.svg', 'map.svg']],
  [['Map.svg', 'map.svg'], { foldsCase: false, normalises: true }, undefined],
  [['caf\u00e9.html', 'cafe\u0301.html'], ALL, ['caf\u00e9.html', 'cafe\u0301.html']],
  [['caf\u00e9.html', 'cafe\u0301.html'], { foldsCase: true, normalises: false }, undefined],
  [['A/x.txt', 'a/y.txt'], ALL, undefined],
  [['A/x.txt', 'a/X.txt'], ALL, ['A/x.txt', 'a/X.txt']],
  [['Visit', 'visit/index.html'], ALL, ['Visit', 'visit/index.html']],
  [['visit/index.html', 'Visit'], ALL, ['visit/index.html', 'Visit']],
  [['stra\u00dfe.html', 'STRASSE.html'], ALL, ['stra\u00dfe.html', 'STRASSE.html']],
  [['a', 'b'], ALL, undefined],
])('%j on %j meet: %j', (keys, folding, meets) => {
  expect(findMeetingNames(keys, folding)).toEqual(meets);
});
