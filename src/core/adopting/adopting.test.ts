import { describe, expect, it } from 'vitest';
import { listMovedFolders, listMoves, writeMoved } from './learn-moved.js';
import { isSameType } from './learn-objects.js';
import { keyOf } from './learn-site.js';
import { listPaths, targetIn } from './list-paths.js';
import { parseRobots } from './robots.js';
import { cachingOf, type SeenAnswer } from './seen.js';

const answer = (path: string, status: number, headers: Record<string, string> = {}): SeenAnswer => ({
  path,
  status,
  headers,
  digest: '',
  size: 0,
  isUtf8: true,
  isWhole: true,
});

describe('robots.txt', () => {
  const rules = (text: string) => parseRobots(text, 'fenestra').mayAsk;
  it.each([
    ['', '/a', true],
    ['User-agent: *\nDisallow: /', '/a', false],
    ['User-agent: *\nDisallow:', '/a', true],
    ['User-agent: other\nDisallow: /', '/a', true],
    ['User-agent: *\nDisallow: /\n\nUser-agent: FENESTRA\nAllow: /', '/a', true],
    ['user-agent: *\ndisallow: /a # why\nallow: /a/b', '/a/b/c', true],
    ['User-agent: *\nDisallow: /a\nAllow: /a', '/a', true],
    ['User-agent: *\nDisallow: /*.pdf$', '/x/y.pdf', false],
    ['User-agent: *\nDisallow: /*.pdf$', '/x/y.pdf?z', true],
    ['User-agent: *\nDisallow: /*?', '/x?y', false],
    ['User-agent: *\nDisallow: /caf%C3%A9', '/caf%c3%a9', false],
    ['User-agent: *\nDisallow: /[a]{b}', '/a', true],
    ['User-agent: a\nUser-agent: fenestra\nDisallow: /x\nUser-agent: b\nDisallow: /y', '/y', true],
    ['Disallow: /', '/a', true],
    [`User-agent: *\nDisallow: /${'*a'.repeat(900)}`, `/${'a'.repeat(1900)}b`, false],
  ])('%j: %s', (text, target, may) => {
    expect(rules(text)(target)).toBe(may);
  });
  it('names sitemaps, whoever they are for', () => {
    expect(parseRobots('Sitemap: /a.xml\r\nUser-agent: x\rsitemap: https://b/', 'fenestra').sitemaps).toEqual(
      ['/a.xml', 'https://b/'],
    );
  });
});

const DATE = 'Wed, 02 Dec 2026 10:00:00 GMT';
it.each([
  [{}, 'unset'],
  [{ 'cache-control': 'max-age=60', expires: 'Wed, 02 Dec 2026 11:00:00 GMT', date: DATE }, '1 minute'],
  [
    { 'cache-control': 'public', expires: 'Wed, 02 Dec 2026 11:00:00 GMT', date: DATE },
    { keptBy: 'anyone', fresh: '1 hour' },
  ],
  [{ expires: 'Wed, 02 Dec 2026 10:10:00 GMT', date: DATE }, '10 minutes'],
  [{ expires: 'Wed, 02 Dec 2026 09:00:00 GMT', date: DATE }, '0 seconds'],
  [{ expires: 'whenever', date: DATE }, '0 seconds'],
  [{ expires: 'Fri, 02 Dec 2096 10:00:00 GMT', date: DATE }, '1 year'],
  [{ pragma: 'no-cache' }, 'revalidate'],
  [
    { 'cache-control': 'no-cache', pragma: 'no-cache', expires: 'Thu, 01 Jan 1970 00:00:00 GMT' },
    { fresh: 'revalidate', http10: true },
  ],
])('the caching of %j is %j', (headers, value) => {
  expect(cachingOf(headers)?.value).toEqual(value);
});

it.each([
  ['text/html', 'text/html; charset=utf-8', true, true],
  ['text/html', 'text/html; charset=utf-8', false, false],
  ['text/html; charset=iso-8859-1', 'text/html; charset=utf-8', true, false],
  ['application/javascript; charset=UTF-8', 'text/javascript; charset=utf-8', true, true],
  ['application/octet-stream', 'font/ttf', true, false],
])('%s and %s: %s', (sent, ours, isUtf8, same) => {
  expect(isSameType(sent, ours, isUtf8)).toBe(same);
});

it.each([
  ['/', 'index.html'],
  ['/caf%C3%A9/', 'café/index.html'],
  ['/a.css', 'a.css'],
  ['/%2e%2e/a', undefined],
  ['/a/..%2f..%2fb', undefined],
  ['/a//b', undefined],
  ['/%zz', undefined],
  ['/%00', undefined],
])('%s is the key %s', (path, key) => {
  expect(keyOf(path, 'index.html')).toBe(key);
});

describe('addresses in a text', () => {
  const at = new URL('https://mill.example/docs/');
  it.each([
    ['a.html', '/a.html'],
    ['/docs/a/?b=c#d', '/a/?b=c'],
    ['/other/', undefined],
    ['//elsewhere.example/docs/', undefined],
    ['mailto:a@b.example', undefined],
    ['../../..', undefined],
    ['x/'.repeat(20), undefined],
    ['a/b/a/b/a/b/', undefined],
    [`/docs/${'a'.repeat(2000)}`, undefined],
  ])('%s leads to %s', (raw, target) => {
    expect(targetIn(at, raw, at.href)).toBe(target);
  });
  it('are those that a browser would ask for, after its base', () => {
    const text =
      '<!doctype html><base href="/docs/deep/"><a href="a.html">x</a><img src="b.png"><form action="c"></form>';
    expect(listPaths(at, { path: '/', text, headers: { 'Content-Type': 'text/html' } })).toEqual([
      '/deep/a.html',
      '/deep/b.png',
    ]);
  });
});

describe('moved addresses', () => {
  const origin = 'https://mill.example';
  const moves = listMoves(
    [
      answer('/old/a.html', 301, { location: '/new/a.html' }),
      answer('/old/b/c.html', 308, { location: `${origin}/new/b/c.html` }),
      answer('/visit', 301, { location: '/visit/' }),
      answer('/caf%C3%A9', 302, { location: 'https://other.example/x' }),
      answer('/bad', 301, { location: 'javascript:0' }),
      answer('/none', 301),
      answer('/fine', 200),
    ],
    origin,
  );
  it('are those that send visitors on, folders apart', () => {
    expect(moves).toEqual([
      { from: '/old/a.html', to: '/new/a.html', permanent: true },
      { from: '/old/b/c.html', to: '/new/b/c.html', permanent: true },
      { from: '/café', to: 'https://other.example/x', permanent: false },
    ]);
  });
  it('may be those of a folder, which is one line where it was seen to be', () => {
    const folder = { from: '/old/*', to: '/new/*', permanent: true };
    expect(listMovedFolders(moves)).toContainEqual(folder);
    expect(writeMoved(moves, [folder])).toEqual({
      permanently: { '/old/*': '/new/*' },
      temporarily: { '/café': 'https://other.example/x' },
    });
    expect(Object.keys(writeMoved(moves, []).permanently)).toEqual(['/old/a.html', '/old/b/c.html']);
  });
});
