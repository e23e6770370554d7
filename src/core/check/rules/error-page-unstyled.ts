import { keyToPath } from '../../site/key.js';
import { isLoad } from '../release-context.js';
import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const errorPageUnstyled = linkRule(
  {
    name: 'error-page-unstyled',
    level: 'error',
    explain:
      'The error document loads something that is missing or private, so it comes without its styles or pictures.',
    example: '<link rel="stylesheet" href="/styles/old.css"> in not-found.html',
    fix: 'Refer to what is published and readable.',
  },
  ({ problem: trouble, use, from }, { view }) =>
    from === view.settings.documents.error &&
    isLoad(use) &&
    (trouble === 'missing' || trouble === 'case' || trouble === 'unreadable'),
  ({ raw, from, problem: trouble, key }, context) => {
    const near = trouble === 'unreadable' ? undefined : context.index.near(key ?? '');
    return {
      message: `the error page loads "${raw}", which ${trouble === 'unreadable' ? 'the public may not read' : 'does not exist'}`,
      fix:
        trouble === 'unreadable'
          ? `let the public read ${key ?? ''} (readable)`
          : near && !near.misnamed
            ? `${near.because}: write ${writtenIn(from, keyToPath(near.key), context)}`
            : `correct the reference, or publish ${key ?? ''}`,
    };
  },
);
