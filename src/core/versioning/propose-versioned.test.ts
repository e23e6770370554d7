import { expect, test } from 'vitest';
import { proposeVersioned } from './propose-versioned.js';

test.each<[keys: string[], patterns: string[]]>([
  [
    ['index.html', 'a/site.css', 'app.mjs', 'f.woff2', 'p.svg'],
    ['*.css', '*.{js,mjs}', '*.{woff,woff2,ttf,otf}', '*.{avif,gif,jpg,jpeg,png,svg,webp}'],
  ],
  [['index.html', 'site.css'], ['*.css']],
  [['index.html', 'assets/site.3f9c2a7b.css', 'assets/app.8a1b2c3d.js'], []],
  [['index.html', 'p.png'], []],
  [['index.html', 'favicon.ico', 'robots.txt'], []],
  [['assets/app.8a1b2c3d.js', 'old.js'], ['*.{js,mjs}']],
])('for %j: %j', (keys, patterns) => {
  expect(proposeVersioned(keys)).toEqual(patterns);
});
