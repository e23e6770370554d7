import { expect, it } from 'vitest';
import { describeServerRules, idleKind } from './idle-files.js';

it.each([
  ['.htaccess', 'server rules'],
  ['a/web.config', 'server rules'],
  ['_headers', 'server rules'],
  ['package.json', 'build'],
  ['Makefile', 'build'],
  ['demo/Makefile', undefined],
  ['500.html', 'page by status'],
  ['50x.html', 'page by status'],
  ['visit/hours.shtml', 'includes'],
  ['404/index.html', undefined],
  ['package.json.html', undefined],
  ['index.html', undefined],
])('%s: %s', (key, kind) => {
  expect(idleKind(key)).toBe(kind);
});

it.each([
  ['', ''],
  ['# ExpiresActive On\n\n', ''],
  [
    'ExpiresActive On\nExpiresDefault "access plus 1 hour"\nRedirect 301 /a /b\n',
    '2 lines of caching, 1 of moved addresses',
  ],
  ['/old/*  /new/:splat  301\n', '1 line of moved addresses'],
  [
    'AddType text/x .x\r\nErrorDocument 404 /e.html\r\nAddType text/y .y',
    '2 lines of types, 1 of error pages',
  ],
  ['<Files x>\nHeader set X-A "1"\n</Files>', '1 line of headers'],
])('%j: %s', (text, words) => {
  expect(describeServerRules(text)).toBe(words);
});
