import { findErrorPage } from '../../site/document-names.js';
import { siteRule } from '../rule.js';

export const errorDocumentUnset = siteRule(
  {
    name: 'error-document-unset',
    level: 'note',
    explain: "The config names no error document, so a wrong address shows the host's own bare page.",
    example: 'no `documents.error`',
    fix: 'Add a page and name it under `documents.error`.',
  },
  function* ({ settings, keys }) {
    if (settings.documents.error !== null || settings.apps) return;
    const found = findErrorPage(keys);
    yield {
      message: "no error document is named: a wrong address shows the host's bare page",
      fix:
        found === undefined
          ? 'add a page and name it under documents: { error: … }'
          : `documents: { error: ${found} }`,
    };
  },
);
