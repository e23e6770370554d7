/** A line of `assign`, written as people write it. */
import { stringify } from 'yaml';
import type { AssignRule } from '../core/assign/cascade.js';
import { PROPERTIES } from '../core/assign/properties.js';
import type { CachePolicy } from '../core/caching/cache-result.js';
import { writeCache } from '../core/caching/write-cache.js';

/** A value in flow style, on one line. */
export const writeFlow = (value: unknown): string =>
  stringify(value, {
    collectionStyle: 'flow',
    lineWidth: 0,
    flowCollectionPadding: true,
    defaultStringType: 'PLAIN',
  }).trim();

/** As a value of `cache:`. */
export const cacheValue = (policy: CachePolicy): unknown => writeCache(policy.headers)?.value ?? 'unset';

/** `{ to: "*.css", cache: 1 day }` */
export function writeRule(rule: AssignRule): string {
  const one = (list: readonly string[] | undefined): unknown => (list?.length === 1 ? list[0] : list);
  const line: Record<string, unknown> = {};
  if (rule.to) line['to'] = one(rule.to);
  if (rule.type) line['type'] = one(rule.type);
  if (rule.ifUnset) line['ifUnset'] = true;
  for (const property of PROPERTIES) {
    const value = rule[property];
    if (value !== undefined) line[property] = typeof value === 'string' ? value : cacheValue(value);
  }
  return writeFlow(line);
}
