import { patternMeant, parsePattern } from '../../assign/pattern.js';
import { siteRule } from '../rule.js';

export const versionedMatchesNothing = siteRule(
  {
    name: 'versioned-matches-nothing',
    level: 'warning',
    explain:
      'A pattern under `versioned` or `keepPlain` covers nothing that can have a versioned name: it is misspelt, names a folder instead of what is in it, or covers only pages and names that carry a hash already.',
    example: 'versioned: [assets]',
    fix: 'Correct the pattern; what is in a folder is assets/**.',
  },
  function* ({ objects, assignments: { versioned }, versionable }) {
    if (!versioned || !versionable) return;
    const covered = objects.filter(({ key, headers }) =>
      versionable.covers(key, headers['Content-Type'] ?? ''),
    );
    const keys = objects.map(({ key }) => key);
    for (const [setting, patterns] of [
      ['versioned', versioned.patterns],
      ['keepPlain', versioned.keepPlain],
    ] as const) {
      for (const pattern of patterns) {
        const matches = parsePattern(pattern);
        if (pattern === '**' || covered.some(({ key }) => matches(key))) continue;
        const meant = patternMeant(pattern, keys);
        yield {
          message: `"${pattern}" under ${setting} covers nothing that can have a versioned name`,
          fix:
            meant === undefined
              ? `correct or remove it under ${setting}`
              : `${setting}: [${JSON.stringify(meant)}]`,
        };
      }
    }
  },
);
