import { expect, test } from 'vitest';
import { matchesPath, readSpeculationRules } from './speculation.js';

test.each([
  ['a list', '{"prefetch":[{"source":"list","urls":["/a","/b"]}]}', ['/a', '/b'], [], 0],
  ['what would be rendered ahead', '{"prerender":[{"urls":["/a"]}]}', ['/a'], [], 0],
  ['a list that waits', '{"prefetch":[{"urls":["/a"],"eagerness":"moderate"}]}', [], [], 0],
  ['links', '{"prefetch":[{"source":"document"}]}', [], [], 0],
  [
    'links at once',
    '{"prefetch":[{"where":{"href_matches":"/n/*"},"eagerness":"immediate"}]}',
    [],
    ['/n/*'],
    0,
  ],
  [
    'links by something else',
    '{"prefetch":[{"where":{"selector_matches":".x"},"eagerness":"immediate"}]}',
    [],
    [],
    1,
  ],
  ['no JSON', '{', [], [], 0],
  ['no rules', '[null]', [], [], 0],
  ['odd rules', '{"prefetch":[null,3,{"urls":[1,null]}],"prerender":"x"}', [], [], 0],
])('speculation rules: %s', (_, text, urls, matching, unsure) => {
  expect(readSpeculationRules(text)).toEqual({ urls, matching, unsure });
});

test.each([
  ['/a', '/a', true],
  ['/a', '/ab', false],
  ['/a/*', '/a/b/c', true],
  ['/a/*', '/b/a/', false],
  ['/*.html', '/x/y.html', true],
  ['/*/x/*', '/a/x/b', true],
  ['/*/x/*', '/a/y/b', false],
  ['/a*a', '/a', false],
])('%s and %s', (pattern, path, matches) => {
  expect(matchesPath(pattern, path)).toBe(matches);
});

test('a pattern of many stars takes no long time', () => {
  expect(matchesPath(`/${'*a'.repeat(2000)}b`, `/${'a'.repeat(200_000)}`)).toBe(false);
});
