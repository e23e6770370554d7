import { loadRule } from '../rule.js';

export const fontPreloadedTwice = loadRule(
  {
    name: 'font-preloaded-twice',
    level: 'warning',
    explain:
      'A preload of a font lacks `crossorigin`. Fonts are always fetched that way, so the preloaded copy is thrown away and the font comes twice.',
    example: '<link rel="preload" as="font" href="/fonts/digits.woff2">',
    fix: 'Add `crossorigin` to the preload.',
  },
  ({ object, withoutCors }) =>
    withoutCors
      ? {
          message: `preloads ${object.key} without crossorigin, so browsers fetch it twice`,
          fix: 'add crossorigin to the preload',
        }
      : undefined,
);
