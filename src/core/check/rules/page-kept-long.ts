import { freshness } from '../../caching/freshness.js';
import { roughDuration } from '../../caching/duration.js';
import { isPage } from '../../assign/defaults.js';
import { assignLine, objectRule } from '../rule.js';

const DAY = 86_400;

export const pageKeptLong = objectRule(
  {
    name: 'page-kept-long',
    level: 'warning',
    explain:
      'A page is kept for more than a day: visitors go on seeing the old one after a publish, with the old references in it.',
    example: 'index.html with `cache: 30 days`',
    fix: 'Let pages ask every time; an unchanged page costs one small answer.',
  },
  ({ key, headers }, { now }) => {
    const seconds = isPage(headers['Content-Type'] ?? '') ? freshness(headers, now) : undefined;
    if (seconds === undefined || seconds <= DAY) return undefined;
    return {
      message: `a page, kept for ${roughDuration(seconds)}`,
      fix: assignLine(`/${key}`, 'cache: revalidate'),
    };
  },
);
