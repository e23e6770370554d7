import { freshness, isNeverStored } from '../../caching/freshness.js';
import { roughDuration } from '../../caching/duration.js';
import { isPage } from '../../assign/defaults.js';
import { hasContentHash, hasVersion } from '../../site/names.js';
import { assignLine, objectRule } from '../rule.js';

const MONTH = 31 * 86_400;

export const longKeptName = objectRule(
  {
    name: 'long-kept-name',
    level: 'warning',
    explain:
      'Kept for more than a month under a name that will be used again for other bytes: visitors keep the old ones, and nothing can call them back. A name with a version (menu-v2.js) counts as a new one, and so does an address with one (menu.js?v=2) where `check` finds no other that loads it.',
    example: 'styles/mill.css with `cache: 1 year`',
    fix: 'Put a content hash in the name, or keep it for a month at most.',
  },
  ({ key, plain, headers }, { now, versionable }) => {
    const seconds = freshness(headers, now);
    if (seconds === undefined || seconds <= MONTH || isNeverStored(headers)) return undefined;
    if (plain !== undefined || versionable?.covers(key, headers['Content-Type'] ?? '')) return undefined;
    if (hasContentHash(key) || hasVersion(key) || isPage(headers['Content-Type'] ?? '')) return undefined;
    return {
      message: `kept for ${roughDuration(seconds)} under a name that carries no content hash`,
      fix: `put a content hash in the name, or ${assignLine(`/${key}`, 'cache: 30 days')}`,
    };
  },
);
