import { LONGER } from '../../../test/helpers/chance.js';
import fc from 'fast-check';
import picomatch from 'picomatch';
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
    ['prive\u0301/**', 'priv\u00e9/x', true],
    ['film/{a,b}/*.{mp4,webm}', 'film/b/x.webm', true],
    ['f{1..3}.txt', 'f2.txt', true],
    ['f{1..3}.txt', 'f4.txt', false],
    ['{a}.txt', '{a}.txt', true],
    ['a\\*b', 'a*b', true],
    ['a\\*b', 'axb', false],
    ['[]a].txt', '].txt', true],
    ['[!a-c].txt', 'd.txt', true],
    ['a/**/b', 'a/b', true],
    ['a/**/b', 'a/x/y/b', true],
    ['a/**', 'a', false],
    ['**/a/**', 'a/b', true],
    ['a**b/c', 'axxb/c', true],
    ['constructor', 'constructor', true],
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
    ['{a,b}{a,b}{a,b}{a,b}{a,b}{a,b}{a,b}{a,b}{a,b}', undefined],
    ['*'.repeat(70_000), undefined],
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

const piece = fc.constantFrom(
  'a',
  'b',
  '.',
  'a.b',
  '*',
  '?',
  '[ab]',
  '[^a]',
  '{a,b}',
  '{a,b.a}',
  '\\\\*',
  '*.a',
);
const pattern = fc
  .array(
    fc.oneof(
      fc.constant('**'),
      fc.array(piece, { minLength: 1, maxLength: 3 }).map((parts) => parts.join('')),
    ),
    { minLength: 1, maxLength: 4 },
  )
  .map((segments) => segments.join('/'))
  .filter(
    (text) => patternFault(text) === undefined && !/(?:^|\/)\.{1,2}(?:\/|$)|\*\*(?!\/|$)|[^/]\*\*/.test(text),
  );
const key = fc
  .array(fc.constantFrom('a', 'b', 'ab', 'a.b', '.a', 'ba.a', '*', 'b.a'), { minLength: 1, maxLength: 4 })
  .map((segments) => segments.join('/'));

it('matches as an independent implementation does', () => {
  fc.assert(
    fc.property(pattern, key, (glob, name) => {
      const options = {
        dot: true,
        noextglob: true,
        nonegate: true,
        strictSlashes: true,
        noquantifiers: true,
      };
      // Theirs is for paths: without a slash ours looks at the name alone, and ends in `**` with something below.
      const theirs = picomatch(glob, options);
      const subject = glob.includes('/') ? name : name.slice(name.lastIndexOf('/') + 1);
      fc.pre(!/\*\*$/.test(glob) && glob !== '*');
      expect(parsePattern(glob)(name), `${glob} on ${name}`).toBe(theirs(subject));
    }),
    { numRuns: 2_000 * LONGER },
  );
});
