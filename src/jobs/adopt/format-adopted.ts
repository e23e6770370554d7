/** The config that reproduces a published site. */
import { stringify } from 'yaml';
import type { LearnedSite } from '../../core/adopting/learn-site.js';
import type { AssignRule } from '../../core/assign/cascade.js';
import { PROPERTIES } from '../../core/assign/properties.js';
import type { CachePolicy } from '../../core/caching/cache-result.js';
import { writeCache } from '../../core/caching/write-cache.js';
import { SCHEMA_FILE } from '../init/new-config.js';

export interface AdoptedConfig {
  /** Relative to the config. */
  readonly site: string;
  readonly bucket: string;
  readonly at: string;
  readonly learned: LearnedSite;
  readonly domain: string | undefined;
}

const flow = (value: unknown): string =>
  stringify(value, {
    collectionStyle: 'flow',
    lineWidth: 0,
    flowCollectionPadding: true,
    defaultStringType: 'PLAIN',
  }).trim();

const cacheValue = (policy: CachePolicy): unknown => writeCache(policy.headers)?.value ?? 'unset';

/** A line of `assign`, as its mapping. */
function asMapping(rule: AssignRule): Record<string, unknown> {
  const one = (list: readonly string[] | undefined): unknown => (list?.length === 1 ? list[0] : list);
  const line: Record<string, unknown> = {};
  if (rule.to) line['to'] = one(rule.to);
  if (rule.type) line['type'] = one(rule.type);
  if (rule.ifUnset) line['ifUnset'] = true;
  for (const property of PROPERTIES) {
    const value = rule[property];
    if (value !== undefined) line[property] = typeof value === 'string' ? value : cacheValue(value);
  }
  return line;
}

export function formatAdopted({ site, bucket, at, learned, domain }: AdoptedConfig): string {
  const { index, error, app, found, moved, quirks, refused, isShared } = learned;
  const destination = {
    store: 'here',
    bucket,
    ...(Object.keys(quirks).length > 0 ? { quirks } : {}),
  };
  const tables = Object.entries(moved).filter(([, table]) => Object.keys(table as object).length > 0);
  return `# yaml-language-server: $schema=./${SCHEMA_FILE}
# As ${at} was when it was looked at.
site: ${flow(site)}

destinations:
  rehearsal: ${flow(destination)}

documents:
  index: ${flow(index)}
${error === undefined ? '' : `  error: ${flow(error)}\n`}${app ? `  app: ${flow(index)}\n  appPaths: ["/**"]\n` : ''}
# Who may read what, once the bucket is open. Opening it is a step of its own.
readable:
  keys: ["**"]
${refused.length > 0 ? `  except: ${flow(refused)}\n` : ''}${domain === undefined ? '' : `\ndomains: ${flow(domain)}\n`}${isShared ? '\nsharedWith: everyone\n' : ''}${
    tables.length === 0
      ? ''
      : `\nmoved:\n${tables
          .map(
            ([name, table]) =>
              `  ${name}:\n${Object.entries(table as Record<string, string>)
                .map(([from, to]) => `    ${flow(from)}: ${flow(to)}\n`)
                .join('')}`,
          )
          .join('')}`
  }${found.otherwise ? `\notherwise: ${flow(cacheValue(found.otherwise))}\n` : ''}${
    found.rules.length === 0
      ? ''
      : `\n# In order; a later match wins, property by property.\nassign:\n${found.rules.map((rule) => `  - ${flow(asMapping(rule))}\n`).join('')}`
  }`;
}
