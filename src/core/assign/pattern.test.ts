import { describe, expect, it, test } from 'vitest';
import { folderMeant, parsePattern, patternFault } from './pattern.js';

describe('patterns', () => {
  test.each([
    ['*.png', 'a/b/c.png', true],
    ['*.png', 'c.pngx', false],
    ['posters/**', 'posters/a/b', true],
    ['posters/**', 'x/posters/a', false],
    ['/index.html', 'index.html', true],
    ['/index.html', 'a/index.html', false],
    ['index.html', 'a/index.html', true],
    ['**/*.map', 'a.map', true],
    ['**', '.well-known/x', true],
    ['*', '.hidden', true],
    ['a/*', 'a/.b', true],
    ['a/*', 'a/b/c', false],
    ['*.{jpg,png}', 'x/a.jpg', true],
    ['[ab].txt', 'b.txt', true],
    ['*.PNG', 'a.png', false],
    ['a(1).txt', 'a(1).txt', true],
    ['drafts', 'drafts/x', false],
    ['film/*.mp4', 'film/wheel.mp4', true],
    ['**/index.html', 'index.html', true],
  ])('%s on %s: %s', (pattern, key, matches) => {
    expect(parsePattern(pattern)(key)).toBe(matches);
  });
  test.each([
    ['drafts/', 'drafts/**'],
    [' **', '**'],
    ['!x', 'x'],
    ['../x', 'x'],
    ['', '**'],
    ['/', '**'],
    ['a{b', undefined],
  ])('%j is a fault, meant was %j', (pattern, becomes) => {
    const fault = patternFault(pattern);
    expect(fault).toBeDefined();
    expect(fault?.becomes).toBe(becomes);
  });
  it('sees that a folder was named instead of what is in it', () => {
    expect(folderMeant('drafts', ['drafts/a', 'b'])).toBe('drafts/**');
    expect(folderMeant('drafts', ['drafts', 'drafts/a'])).toBeUndefined();
    expect(folderMeant('*.png', ['a'])).toBeUndefined();
  });
});
