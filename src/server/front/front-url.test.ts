import { expect, test } from 'vitest';
import { readFrontUrl } from './front-url.js';

test.each<[authority: string, target: string, href: string | undefined, host: string]>([
  ['mill.localhost:4443', '/css/a.css?x', 'https://mill.localhost:4443/css/a.css?x', 'mill.localhost:4443'],
  ['MILL.localhost:443', '/', 'https://mill.localhost/', 'MILL.localhost:443'],
  ['mill.localhost.', '/', 'https://mill.localhost/', 'mill.localhost.'],
  ['other.example', 'https://mill.localhost/css/a.css', 'https://mill.localhost/css/a.css', 'mill.localhost'],
  [
    'other.example',
    'HTTP://Mill.localhost:4443/a?b#c',
    'https://mill.localhost:4443/a?b',
    'Mill.localhost:4443',
  ],
  ['other.example', 'https://mill.localhost', 'https://mill.localhost/', 'mill.localhost'],
  ['other.example', 'https://mill.localhost?day=2', 'https://mill.localhost/?day=2', 'mill.localhost'],
  ['mill.localhost', '*', 'https://mill.localhost/', 'mill.localhost'],
  ['mill.localhost', 'css/a.css', undefined, ''],
  ['mill.localhost', 'https:///a', undefined, ''],
  ['mill.localhost', '', undefined, ''],
])('%s %s', (authority, target, href, host) => {
  expect(readFrontUrl(authority, target)).toEqual(href === undefined ? undefined : { href, host });
});
