/** A line of `assign` as it is typed in a terminal. */
import { FenestraError } from '../core/errors/catalogue.js';
import type { AssignRule } from '../core/assign/cascade.js';
import { toRule, type RawRule } from './build-config.js';
import { mapping } from './fields.js';
import { parseYaml } from './load.js';
import { rule } from './rule-schema.js';

const shape = mapping({ rule: rule.required('is missing') }, 'A rule.');

/**
 * @param option that it was given with, for messages
 * @param number of the rule, which no rule of the config has
 * @throws FenestraError USAGE
 */
export async function parseRuleLine(line: string, option: string, number: number): Promise<AssignRule> {
  const written = line.trim().replace(/^-\s+/, '');
  const braced = written.startsWith('{') ? written : `{ ${written} }`;
  const parsed = await parseYaml(`rule: ${braced}`, shape, {
    noun: 'line',
    begin: 'to: "*.css", cache: 1 day',
  });
  if ('faults' in parsed) {
    // A word that is no setting is the reason for what is missing then.
    const fault = parsed.faults.find(({ path }) => path !== 'rule') ?? parsed.faults[0];
    const at = fault?.path.replace(/^rule\.?/, '') ?? '';
    // A name that is no setting is said by the fault itself.
    const where = fault?.message.startsWith(`"${at}"`) === true ? '' : at;
    throw new FenestraError('USAGE', {
      what: `${option} '${line}': ${where === '' ? '' : `${where} `}${fault?.message ?? 'is no rule'}.`,
      fix: `Write it as under assign: ${option} '- { to: "*.css", cache: 1 day }'${fault?.becomes === undefined ? '' : `; perhaps ${fault.becomes} is meant`}.`,
    });
  }
  return toRule(parsed.raw['rule'] as RawRule, number - 1, 0);
}
