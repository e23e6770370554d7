import { folderKey } from '../../hosting/folder-copy.js';
import { keyToPath } from '../../site/key.js';
import { siteRule } from '../rule.js';

export const folderNotServed = siteRule(
  {
    name: 'folder-not-served',
    level: 'warning',
    explain:
      'The host of this destination looks for index documents at the root alone, so the pages of folders do not answer at the addresses of their folders.',
    example: 'visit/index.html, which nobody gets at /visit/ (quirks: gateway)',
    fix: 'Write `folders: pages` into the destination, or link to the pages by their whole names.',
  },
  function* ({ objects, keys, settings }) {
    const { index } = settings.documents;
    if (settings.quirks.indexDocuments !== 'root') return;
    const pages = objects.filter(({ key, public: isPublic }) => {
      const folder = folderKey(key, index);
      return isPublic && folder !== undefined && !keys.has(folder);
    });
    const [first] = pages;
    if (!first) return;
    const at = keyToPath(folderKey(first.key, index) ?? '');
    const others = pages.length > 1 ? `, as with ${pages.length - 1} more` : '';
    yield {
      key: first.key,
      message: `this host looks for index documents at the root alone: nobody gets it at ${at}${others}`,
      fix: 'write folders: pages into the destination, or link to index documents by their whole names',
    };
  },
);
