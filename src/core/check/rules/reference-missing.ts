import { pageKey } from '../../hosting/folder-copy.js';
import { keyToPath } from '../../site/key.js';
import { isLoad } from '../release-context.js';
import { linkRule, ownKey } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceMissing = linkRule(
  {
    name: 'reference-missing',
    level: 'error',
    explain: 'A reference leads to an address of this site that has no object.',
    example: '<a href="/vist/"> where the folder is called visit',
    fix: 'Correct the reference, or publish what it names.',
  },
  ({ problem: trouble, use, from }, { view }) =>
    trouble === 'missing' && use !== 'source map' && !(from === view.settings.documents.error && isLoad(use)),
  ({ raw, from, path, key }, context) => {
    const { index, under, view } = context;
    const { documents, quirks } = view.settings;
    const isFolder = quirks.indexDocuments === 'root' && path.endsWith('/');
    const page = isFolder ? view.find(pageKey(key ?? '', documents.index)) : undefined;
    if (page)
      return {
        message: `"${raw}" leads nowhere: this host looks for index documents at the root alone`,
        fix: `write ${writtenIn(from, keyToPath(page.key), context)}, or add "folders: pages" to the destination, so that ${page.key} lies at ${path} too`,
      };
    const near = index.near(key ?? '');
    return {
      message: `"${raw}" leads nowhere: there is no ${path}`,
      fix: !near
        ? `correct the reference, or publish an object at ${path}`
        : near.compressed
          ? `${near.because}: decompress it to ${ownKey({ under }, key ?? '')}; a rule with \`encoding: gzip\` compresses it on the way`
          : near.misnamed
            ? `${near.because}: rename the file to ${ownKey({ under }, key ?? '')}`
            : `${near.because}: write ${writtenIn(from, keyToPath(near.key), context)}`,
    };
  },
);
