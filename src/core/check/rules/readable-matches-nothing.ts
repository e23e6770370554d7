import { folderMeant, parsePattern } from '../../assign/pattern.js';
import { coversNothing, listNamesOfBuckets } from '../read-policy-faults.js';
import { siteRule } from '../rule.js';

export const readableMatchesNothing = siteRule(
  {
    name: 'readable-matches-nothing',
    level: 'error',
    concernsReaders: true,
    explain:
      'A pattern under `readable` matches no object, so it opens or protects nothing: it is misspelt, or names a folder instead of what is in it.',
    example: 'except: [drafts]',
    fix: 'Correct the pattern; what is in a folder is drafts/**.',
  },
  function* (context) {
    const { objects, settings } = context;
    if (settings.readable === null || coversNothing(context)) return;
    const keys = objects.map(({ key }) => key);
    // Those have a rule of their own.
    const named = new Set(listNamesOfBuckets(context).map(({ pattern }) => pattern));
    for (const list of ['keys', 'except'] as const) {
      for (const pattern of settings.readable[list]) {
        const matches = parsePattern(pattern);
        if (keys.some((key) => matches(key)) || named.has(pattern)) continue;
        const meant = folderMeant(pattern, keys);
        yield {
          message: `"${pattern}" under readable.${list} matches no object, so it ${list === 'keys' ? 'opens' : 'protects'} nothing`,
          fix:
            meant === undefined
              ? `correct or remove it under readable.${list}`
              : `readable: { ${list}: [${JSON.stringify(meant)}] }`,
        };
      }
    }
  },
);
