import { expect, test } from 'vitest';
import { createReadPolicy, type ReadableSetting } from './read-policy.js';

const drafts: ReadableSetting = { keys: ['**'], except: ['drafts/**', '*.bak'] };

test.each<[ReadableSetting, string, boolean, RegExp]>([
  [null, 'index.html', true, /without `readable` everything/],
  [null, 'server.pem', false, /looks secret/],
  [drafts, 'index.html', true, /"\*\*" under readable\.keys/],
  [drafts, 'server.pem', true, /under readable\.keys/],
  [drafts, 'drafts/a/b.html', false, /"drafts\/\*\*" under readable\.except/],
  [drafts, 'drafts', true, /under readable\.keys/],
  [drafts, 'Drafts/a', true, /under readable\.keys/],
  [drafts, 'x/index.html.bak', false, /"\*\.bak"/],
  [
    { keys: ['*.html', 'img/**'], except: [] },
    'a.css',
    false,
    /covers "\*\.html", "img\/\*\*", not this key/,
  ],
  [{ keys: [], except: [] }, 'a.css', false, /covers nothing/],
])('%j lets %s be read: %s', (setting, key, readable, because) => {
  const policy = createReadPolicy({ readable: setting, documents: { index: 'start.html' } });
  expect([policy.isReadable(key), policy.explain(key).readable]).toEqual([readable, readable]);
  expect(policy.explain(key).because).toMatch(because);
});
