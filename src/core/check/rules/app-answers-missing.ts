import { errorKey, patternPaths } from '../../hosting/app-page.js';
import { quirksOf } from '../../hosting/memoized-settings.js';
import { releaseRule } from '../rule.js';

export const appAnswersMissing = releaseRule(
  {
    name: 'app-answers-missing',
    level: 'note',
    explain:
      'Addresses of an application answer with its page and the status of a missing key, since the host can no more. Visitors see the application; search engines leave such addresses out, and previews of links stay empty.',
    example: 'appPaths: ["/orders/**"]',
    fix: 'Name the addresses that are to be found without a pattern, or use a host that answers with 200.',
  },
  function* ({ view }) {
    const { settings } = view;
    const quirks = quirksOf(settings);
    if (quirks.appPages === 'page' || quirks.errorDocumentStatus === 200) return;
    for (const app of settings.apps ?? []) {
      const patterns = patternPaths(app);
      if (patterns.length === 0) continue;
      // That is a fault of its own.
      if (quirks.appPages === 'error-document' && errorKey(settings) !== app.page) continue;
      yield {
        key: app.page,
        message: `${patterns.join(', ')}: visitors get the app with status ${quirks.missingKey}, and search engines leave these addresses out`,
        fix: 'name those that are to be found under documents.appPaths without a pattern, such as /orders: each answers with 200',
        about: app.page,
      };
    }
  },
);
