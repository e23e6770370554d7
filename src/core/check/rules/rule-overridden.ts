import { siteRule } from '../rule.js';
import { ruleUse } from '../rule-use.js';

export const ruleOverridden = siteRule(
  {
    name: 'rule-overridden',
    level: 'warning',
    explain: 'A rule matches objects but decides nothing for any of them: later rules win everywhere.',
    example: 'a rule for posters/** before one for **',
    fix: 'Move it after the rules that win over it, or remove it.',
  },
  function* (context) {
    const use = ruleUse(context);
    const { file, rules } = context.assignments;
    for (const { number, line, ifUnset } of rules) {
      if (!use.matched.has(number) || use.deciding.has(number)) continue;
      const winners = [...(use.winners.get(number) ?? [])].sort((a, b) => a - b);
      const by = ifUnset
        ? 'ifUnset makes it yield to any other rule and to every default but the last, and one of them wins'
        : winners.length > 0
          ? `rule ${winners.join(', ')} wins over it`
          : 'a default wins over it';
      yield {
        file,
        line,
        message: `rule ${number} decides nothing: ${by} everywhere`,
        fix: ifUnset
          ? 'remove `ifUnset`, or the rule'
          : winners.length > 0
            ? `move it after rule ${winners.at(-1) ?? number}, or remove it`
            : 'remove the rule',
      };
    }
  },
);
