import { folderMeant } from '../../assign/pattern.js';
import { coversNothing, listNamesOfBuckets } from '../read-policy-faults.js';
import { siteRule } from '../rule.js';

export const policyCoversNothing = siteRule(
  {
    name: 'policy-covers-nothing',
    level: 'error',
    explain:
      'The public-read policy covers no object at all, so an open bucket still answers 403 to everything: it names a folder and not what is in it, or takes everything out again.',
    example: 'readable: { keys: ["visit"] }',
    fix: 'Name what is to be read: readable: { keys: ["**"] }.',
  },
  function* (context) {
    // Where a pattern names a bucket, that is the cause, and it has a rule of its own.
    if (!coversNothing(context) || listNamesOfBuckets(context).length > 0) return;
    const { objects, settings } = context;
    const keys = objects.map(({ key }) => key);
    const meant = (settings.readable?.keys ?? []).map((pattern) => folderMeant(pattern, keys) ?? '**');
    yield {
      message: 'the public may read nothing of the site: an open bucket answers 403 to everything',
      fix: `readable: { keys: ${JSON.stringify([...new Set(meant.length > 0 ? meant : ['**'])])} }, with what stays private under except`,
    };
  },
);
