import { expect, test } from 'vitest';
import { listCircles, resolveMoved } from './moved.js';

const SETTING = {
  permanently: {
    '/opening-times': '/visit/',
    '/shop/*': 'https://shop.mill.example/*',
    '/shop/books/*': '/reading/*#top',
    '/up/*': '/*',
  },
  temporarily: { '/tickets': 'https://tickets.mill.example/?from=site#top', '/shop/sale': '/sale/' },
};

test.each<[string, string, string | undefined]>([
  ['/opening-times', '', '301 /visit/'],
  ['/opening-times', '?a=1', '301 /visit/?a=1'],
  ['/opening-times/', '', undefined],
  ['/opening', '', undefined],
  ['/shop/flour', '', '301 https://shop.mill.example/flour'],
  ['/shop/a/b', '?c', '301 https://shop.mill.example/a/b?c'],
  ['/shop/', '', '301 https://shop.mill.example/'],
  ['/shop', '', undefined],
  ['/shop/books/x', '?a', '301 /reading/x?a#top'],
  ['/shop/sale', '', '302 /sale/'],
  ['/tickets', '?day=2', '302 https://tickets.mill.example/?from=site&day=2#top'],
  ['/up//elsewhere.example', '', '301 /elsewhere.example'],
  ['/up/\\\\elsewhere.example', '', '301 /elsewhere.example'],
  ['/up/\\elsewhere.example', '', '301 /elsewhere.example'],
  ['/up//\\/elsewhere.example', '', '301 /elsewhere.example'],
  ['/shop/$&', '', '301 https://shop.mill.example/$&'],
])('%s%s', (path, query, moved) => {
  const found = resolveMoved(SETTING, path, path, query);
  expect(found && `${found.status} ${found.location}`).toBe(moved);
});

test.each<[Record<string, string>, string[][]]>([
  [{ '/a': '/b', '/b': '/a' }, [['/a', '/b']]],
  [{ '/a': '/a' }, [['/a']]],
  [{ '/a': '/b', '/b': '/c', '/c': '/b' }, [['/b', '/c']]],
  [{ '/a': '/b?x=1#y', '/b': '/a' }, [['/a', '/b']]],
  [{ '/a': '/shop/x', '/shop/*': '/a' }, [['/a', '/shop/x']]],
  [{ '/a': '/b', '/b': '/c' }, []],
  [{ '/a': 'https://shop.mill.example/a' }, []],
  [{ '/shop/*': '/shop/x/*' }, []],
])('circles of %j', (permanently, circles) => {
  expect(listCircles({ permanently, temporarily: {} }).map(({ steps }) => steps)).toEqual(circles);
});
