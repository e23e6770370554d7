import { expect, test } from 'vitest';
import { MAX_TARGET, parseTarget } from './target.js';

test.each<[string, string, string]>([
  ['/', '/', ''],
  ['/a%20b?x=1', '/a b', '?x=1'],
  ['/a?b?c#d', '/a', '?b?c'],
  ['/a#b?c', '/a', ''],
  ['/a//b/../c+d', '/a//b/../c+d', ''],
  ['/mu%CC%88hle', '/mu\u0308hle', ''],
  ['/m%C3%BChle', '/m\u00fchle', ''],
  ['http://mill.example/a?b', '/a', '?b'],
  ['HTTPS://mill.example', '/', ''],
  ['http://mill.example?q', '/', '?q'],
  ['*', '*', ''],
  ['/%2e%2E/%2f', '/..//', ''],
])('%s', (target, path, query) => {
  expect(parseTarget(target)).toMatchObject({ path, query });
});

test('letters of either form where a host takes them so', () => {
  expect(parseTarget('/mu%CC%88hle', { composed: true })).toMatchObject({ path: '/m\u00fchle' });
});

test.each<[string, number]>([
  ['/%zz', 400],
  ['/%FF', 400],
  ['/%00', 400],
  ['/%7f', 400],
  ['relative', 400],
  ['ftp://mill.example/', 400],
  ['', 400],
  [`/${'x'.repeat(MAX_TARGET)}`, 414],
])('%s is refused with %i', (target, status) => {
  expect(parseTarget(target)).toMatchObject({ status });
});
