import { parse } from 'parse5';
import { expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS } from './bucket-view.js';
import { listMovedBelow, renderMovedPages } from './moved-page.js';

const settings = {
  ...NEW_BUCKET_SETTINGS,
  moved: {
    permanently: {
      '/old': '/visit/',
      '/folder/': 'https://mill.example/a?b=1&c="x"',
      '/twice': '/for-good/',
    },
    temporarily: { '/twice': '/for-now/', '/below/*': '/other/*', '/café': '/visit/#café' },
  },
};

it('makes a page for each single address, and names those for which none can stand', () => {
  const pages = renderMovedPages(settings);
  expect(pages.map(({ key, from }) => [key, from])).toEqual([
    ['twice', '/twice'],
    ['café', '/café'],
    ['old', '/old'],
    ['folder/index.html', '/folder/'],
  ]);
  expect(listMovedBelow(settings)).toEqual(['/below/*']);
});

it.each([
  ['old', '/visit/', true],
  ['folder/index.html', 'https://mill.example/a?b=1&c="x"', true],
  // As in the resolver, what has moved for good wins.
  ['twice', '/for-good/', true],
  ['café', '/visit/#café', false],
])('the page %s moves the visitor on to %s, and says so', (key, target, forGood) => {
  const html = renderMovedPages(settings).find((page) => page.key === key)?.html ?? '';
  const found: Record<string, string> = {};
  const walk = (node: {
    nodeName: string;
    attrs?: { name: string; value: string }[];
    childNodes?: never[];
  }): void => {
    const attribute = (name: string): string => node.attrs?.find((each) => each.name === name)?.value ?? '';
    if (node.nodeName === 'a') found['link'] = attribute('href');
    if (node.nodeName === 'link') found['canonical'] = attribute('href');
    if (attribute('http-equiv') === 'refresh') found['refresh'] = attribute('content');
    for (const child of node.childNodes ?? []) walk(child);
  };
  walk(parse(html) as never);
  expect(found).toEqual({
    link: target,
    refresh: `0; url=${target}`,
    ...(forGood ? { canonical: target } : {}),
  });
});
