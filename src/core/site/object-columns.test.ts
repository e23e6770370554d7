import { expect, test } from 'vitest';
import { compareKeys } from './key.js';
import { ObjectColumns, packObjects } from './object-columns.js';

test('objects come back from their columns as they went in, and are found by their keys alone', () => {
  const keys = [
    '',
    'a',
    'a/b',
    'é.html',
    'mühle/',
    '\u{1f30a}',
    '\uffee',
    '__proto__',
    'a.b',
    'z'.repeat(900),
  ];
  const shared = { 'Content-Type': 'text/plain' };
  const objects = keys.sort(compareKeys).map((key, at) => ({
    key,
    size: at === 3 ? 2 ** 40 : at,
    digest: String(at).padStart(64, 'a0'),
    headers: at % 2 ? shared : { 'Content-Type': 'text/html', ETag: `"${at}"` },
    since: 1_790_000_000_000 + at,
  }));
  const columns = new ObjectColumns(structuredClone(packObjects(objects)));
  expect([...columns]).toEqual(objects);
  for (const object of objects) expect(columns.find(object.key)).toEqual(object);
  for (const key of ['b', 'a/', 'A', 'zz', '\u{1f30b}']) expect(columns.find(key)).toBeUndefined();
  expect([...new ObjectColumns(packObjects([]))]).toEqual([]);
});
