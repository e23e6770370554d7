import { createReadPolicy } from '../../access/read-policy.js';
import { siteRule } from '../rule.js';
import { coversNothing } from '../read-policy-faults.js';

export const documentPrivate = siteRule(
  {
    name: 'document-private',
    level: 'error',
    explain:
      'The index or error document exists, but the public-read policy does not cover it, so visitors are refused.',
    example: 'readable: { keys: ["assets/**"] }',
    fix: 'Cover the documents under `readable.keys`.',
  },
  function* (context) {
    if (coversNothing(context)) return;
    const { keys, settings } = context;
    const policy = createReadPolicy(settings);
    const pages = (settings.apps ?? []).map(({ page }) => page);
    for (const key of new Set([settings.documents.index, settings.documents.error, ...pages])) {
      if (key === null || !keys.has(key) || policy.isReadable(key)) continue;
      yield {
        key,
        message: `the public may not read it: ${policy.explain(key).because}`,
        fix: `add ${JSON.stringify(key)} to readable.keys`,
      };
    }
  },
);
