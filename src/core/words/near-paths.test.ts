import { expect, test } from 'vitest';
import { nearPaths } from './near-paths.js';

test.each([
  ['/home/mill/web/site does not exist.', 'site does not exist.'],
  ['The disk under /home/mill/web is full', 'The disk under . is full'],
  ['"/home/mill/web/.fenestra/store": gone', '".fenestra/store": gone'],
  ['/home/mill/other/rows.lmdb and /home/mill/web/x', '../other/rows.lmdb and x'],
  ['/home/millstone/x, /srv/home/mill/web/x', '/home/millstone/x, /srv/home/mill/web/x'],
  ['/home/mill/website', '../website'],
  ['/home/x', '/home/x'],
  ['http://home/mill/web/x', 'http://home/mill/web/x'],
])('%s', (text, expected) => {
  expect(nearPaths(text, '/home/mill/web')).toBe(expected);
});

test('nothing is near the root', () => {
  expect(nearPaths('/etc/x /home/x', '/')).toBe('/etc/x /home/x');
  expect(nearPaths('/etc/x /home/x', '/home')).toBe('/etc/x /home/x');
});
