import { patternMeant } from '../../assign/pattern.js';
import { siteRule } from '../rule.js';
import { ruleUse } from '../rule-use.js';

export const ruleMatchesNothing = siteRule(
  {
    name: 'rule-matches-nothing',
    level: 'warning',
    explain:
      'A rule under `assign` matches no object of the site: its pattern is misspelt, or names a folder instead of what is in it.',
    example: 'to: drafts',
    fix: 'Correct the pattern, or remove the rule.',
  },
  function* (context) {
    const use = ruleUse(context);
    const keys = context.objects.map(({ key }) => key);
    for (const rule of context.assignments.rules) {
      if (use.matched.has(rule.number)) continue;
      const meant = rule.to?.map((pattern) => patternMeant(pattern, keys)).find((each) => each !== undefined);
      const what = rule.to ? rule.to.join(', ') : (rule.type ?? []).join(', ');
      yield {
        file: context.assignments.file,
        line: rule.line,
        message: `rule ${rule.number} (${what}) matches no object`,
        fix: meant === undefined ? 'correct its pattern, or remove the rule' : `to: ${JSON.stringify(meant)}`,
      };
    }
  },
);
