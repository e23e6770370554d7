/** The config that reproduces a published site. */
import type { LearnedSite } from '../../core/adopting/learn-site.js';
import { cacheValue, writeFlow, writeRule } from '../../config/write-rule.js';
import { SCHEMA_FILE } from '../init/new-config.js';

export interface AdoptedConfig {
  /** Relative to the config. */
  readonly site: string;
  readonly bucket: string;
  readonly at: string;
  readonly learned: LearnedSite;
  readonly domain: string | undefined;
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
site: ${writeFlow(site)}

destinations:
  rehearsal: ${writeFlow(destination)}

documents:
  index: ${writeFlow(index)}
${error === undefined ? '' : `  error: ${writeFlow(error)}\n`}${app ? `  app: ${writeFlow(index)}\n  appPaths: ["/**"]\n` : ''}
# Who may read what, once the bucket is open. Opening it is a step of its own.
readable:
  keys: ["**"]
${refused.length > 0 ? `  except: ${writeFlow(refused)}\n` : ''}${domain === undefined ? '' : `\ndomains: ${writeFlow(domain)}\n`}${isShared ? '\nsharedWith: everyone\n' : ''}${
    tables.length === 0
      ? ''
      : `\nmoved:\n${tables
          .map(
            ([name, table]) =>
              `  ${name}:\n${Object.entries(table as Record<string, string>)
                .map(([from, to]) => `    ${writeFlow(from)}: ${writeFlow(to)}\n`)
                .join('')}`,
          )
          .join('')}`
  }${found.otherwise ? `\notherwise: ${writeFlow(cacheValue(found.otherwise))}\n` : ''}${
    found.rules.length === 0
      ? ''
      : `\n# In order; a later match wins, property by property.\nassign:\n${found.rules.map((rule) => `  - ${writeRule(rule)}\n`).join('')}`
  }`;
}
