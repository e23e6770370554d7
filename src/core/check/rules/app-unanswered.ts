import { errorKey, patternPaths } from '../../hosting/app-page.js';
import { quirksOf } from '../../hosting/memoized-settings.js';
import { releaseRule } from '../rule.js';

export const appUnanswered = releaseRule(
  {
    name: 'app-unanswered',
    level: 'error',
    explain:
      "The host has one error document for every mistake, and it is not the application's page: addresses of the application show it instead.",
    example: 'documents: { error: not-found.html, app: index.html, appPaths: ["/orders/**"] } on such a host',
    fix: 'Leave out `documents.error` for this destination, or name each address without a pattern.',
  },
  function* ({ view }) {
    const { settings } = view;
    if (quirksOf(settings).appPages !== 'error-document') return;
    const error = errorKey(settings);
    for (const app of settings.apps ?? []) {
      const patterns = patternPaths(app);
      if (patterns.length === 0 || error === app.page) continue;
      yield {
        key: app.page,
        message: `this host has one error document, so ${patterns.join(', ')} shows ${error ?? 'nothing'} and not ${app.page}`,
        fix: `leave documents.error out for this destination, so that ${app.page} takes its place, or name each address without a pattern`,
        about: app.page,
      };
    }
  },
);
