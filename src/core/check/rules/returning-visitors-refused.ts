import { siteRule } from '../rule.js';

export const returningVisitorsRefused = siteRule(
  {
    name: 'returning-visitors-refused',
    level: 'error',
    explain:
      'The host of this destination answers 404 in place of "not changed" as long as an error document is set: whoever comes back with a copy of a page gets an error instead of it.',
    example:
      'documents: { error: not-found.html } for a gateway that was measured to do so (quirks: gateway)',
    fix: 'Leave `documents.error` out for this destination.',
  },
  function* ({ settings }) {
    const { error } = settings.documents;
    if (error === null || settings.quirks.conditionOutcome !== 'missing-with-error-document') return;
    yield {
      message: `this host answers 404 to everybody who comes back, as long as ${error} is its error document`,
      fix: 'give this destination documents: { index: index.html } of its own, without error',
    };
  },
);
