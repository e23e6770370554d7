/** The reference pages of docs/, made from the tables that the program itself runs by. */
import { ASPECT_MEANS, ASPECTS, aspectRule } from '../core/check/difference.js';
import { RELEASE_RULES } from '../core/check/release-rules.js';
import type { RuleHead } from '../core/check/rule.js';
import { SURVEY_RULES } from '../core/check/survey-rules.js';
import { CHECK_FINDINGS } from '../core/check/check-findings.js';
import { NAME_RULES } from '../core/dns/name-rules.js';
import { CATALOGUE, EXIT } from '../core/errors/catalogue.js';
import { DEFAULT_QUIRKS, QUIRK_SETS, QUIRKS, type Quirks } from '../core/hosting/quirks.js';

import { listReferenceTables } from './references-reference.js';

const made = (title: string, lead: string, body: string): string =>
  `# ${title}\n\n<!-- Made by \`npm run docs\`; edit the source tables instead. -->\n\n${lead}\n\n${body}\n`;

export interface SettingEntry {
  readonly name: string;
  readonly explain: string;
  readonly default: string;
}

const cell = (text: string): string => text.replace(/\|/g, '\\|');

const EXIT_WORDS: Readonly<Record<keyof typeof EXIT, string>> = {
  done: 'done',
  found: '`check` found a problem at or above `--fail-on`',
  usage: 'usage or config',
  store: 'store or network',
  refused: 'refused or conflict: declined, wrong confirmation, someone published meanwhile',
  defect: 'a defect in Fenestra',
};

export function renderErrors(): string {
  const exits = Object.entries(EXIT).map(
    ([name, code]) => `| ${code} | ${EXIT_WORDS[name as keyof typeof EXIT]} |`,
  );
  const rows = Object.entries(CATALOGUE).map(
    ([code, { exit, message, fix }]) => `| \`${code}\` | ${exit} | ${cell(message)} | ${cell(fix)} |`,
  );
  return made(
    'Errors and exit codes',
    'Every error is one short paragraph: what happened, where, and what to do. Words in braces stand for what was met.',
    `## Exit codes\n\n| code | meaning |\n|---|---|\n${exits.join('\n')}\n\n## Errors\n\n| error | exit | message | cure |\n|---|---|---|---|\n${rows.join('\n')}`,
  );
}

export function renderFindings(): string {
  const sections = (heads: readonly RuleHead[], level: '##' | '###'): string =>
    heads
      .map(
        ({ name, level: weight, explain, example, fix, concernsReaders }) =>
          `${level} ${name}\n\n*${weight}.* ${explain}\n\n- Example: ${example.includes('<') ? `\`${example}\`` : example}\n- Cure: ${fix}${concernsReaders ? '\n- It concerns who may read what: `fenestra publish` stops at it until `--sure` names the bucket.' : ''}`,
      )
      .join('\n\n');
  const aspects = ASPECTS.map((aspect) => `### ${aspectRule(aspect)}\n\n${ASPECT_MEANS[aspect]}`).join(
    '\n\n',
  );
  return made(
    'Findings',
    'What `survey` and `check` can say of a site. `--fail-on` decides which levels fail a check: `error` (the default), `warning` or `note`. An address with one fault is spoken of once, at its first place.',
    `## Of the files and the config: survey and check\n\n${sections(SURVEY_RULES, '###')}\n\n## Of the release and what its texts refer to: check\n\n${sections(RELEASE_RULES, '###')}\n\n## Of the check itself\n\n${sections(CHECK_FINDINGS, '###')}\n\n## Of answers: check

Reports name a probe that failed by what differs; the text says what was expected, what came, and what usually causes it.

${aspects}

## Of host names: domain check\n\n${sections(NAME_RULES, '###')}`,
  );
}

export function renderBehaviours(): string {
  const rows = Object.entries(QUIRKS).map(([name, { choices, explain, portable }]) => {
    const known = DEFAULT_QUIRKS[name as keyof Quirks];
    return `## quirks.${name}\n\n${explain}\n\n- Choices: ${choices.map((choice) => `\`${choice}\`${choice === known ? ' (default)' : ''}`).join(', ')}\n- To be portable: ${portable}`;
  });
  const sets = Object.entries(QUIRK_SETS).map(
    ([name, quirks]) =>
      `| ${name} | ${
        Object.entries(quirks)
          .map(([quirk, value]) => `${quirk}: ${value}`)
          .join(', ') || 'the defaults'
      } |`,
  );
  return made(
    'Behaviours of the emulation',
    'Real bucket hosts agree on most answers; on these points they differ, and each has a setting under `quirks:`.',
    `${rows.join('\n\n')}\n\n## Named sets\n\n| set | quirks |\n|---|---|\n${sets.join('\n')}\n\n${FIXED}`,
  );
}

export const renderReferences = (): string =>
  made(
    'What texts refer to',
    'By these tables `check` follows references, `visit` loads pages and `publish` gives versioned names. A page is read as a browser reads it, styles by the grammar of CSS, modules by that of JavaScript.',
    `${listReferenceTables()}\n\n${OTHER_TEXTS}`,
  );

const OTHER_TEXTS = `## What else refers

| in | what |
|---|---|
| any element | \`style\`: what CSS has; \`integrity\`: the digest of what it names |
| \`base\` | what relative addresses of the page are relative to |
| \`meta\` | \`http-equiv=refresh\`: a link; cards for other sites (\`og:image\` and the like): where the page itself lives |
| \`script type=importmap\` | \`imports\`, \`scopes\`, \`integrity\` |
| CSS | \`@import\`, \`url()\`, \`image-set()\`, the source of a \`@font-face\`, the source map |
| JavaScript | \`import\`, \`export … from\`, \`import("…")\`, \`new URL("…", import.meta.url)\`, the source map |
| manifests, feeds, sitemaps, source maps | their addresses |`;

const FIXED = `## What is fixed

- Methods: GET, HEAD and OPTIONS; anything else is 405 with \`Allow\`.
- Targets: percent-decoded as UTF-8. Plus signs, double slashes and dot segments are kept: they are part of a key. Malformed is 400, over 8,192 bytes 414.
- Order: method, target, host, access, moved addresses, public-read policy, key, index document, folder, error document, preconditions, range.
- The policy decides before anyone learns whether a key exists: a key outside it is 403 either way. A folder without its slash redirects only where its index document may be read.
- Moved addresses: an exact one before all, then the longest \`/*\`; the query is kept.
- Preconditions follow RFC 9110 section 13.2.2: If-Match and If-Unmodified-Since compare strongly, If-None-Match weakly.
- Ranges: one range, and several that join into one, are 206; several apart are answered whole; a range whose end comes before its start is ignored; none of the object's bytes is 416.
- The ETag is strong and comes from the bytes alone. Last-Modified is when the bytes or headers were published.
- An error document is sent whole: conditions and ranges are for what was asked.`;

export function renderConfig(settings: readonly SettingEntry[], example: string): string {
  const rows = settings.map(
    ({ name, explain, default: standard }) => `| \`${name}\` | ${cell(explain)} | ${cell(standard)} |`,
  );
  return made(
    'The config: fenestra.yaml',
    'Validated whole before anything is touched; every fault is reported at its line and column, all at once. `fenestra config show` prints what is in force, `fenestra config check` tests the file alone, and `fenestra.schema.json` lets editors complete it.',
    `## Settings\n\n| setting | meaning | default |\n|---|---|---|\n${rows.join('\n')}\n\n${CONFIG_TEXT}\n\n## An example\n\n\`\`\`yaml\n${example.trim()}\n\`\`\``,
  );
}

const CONFIG_TEXT = `## Patterns

One grammar everywhere. Without a slash a pattern matches the file name at any depth; with one it is anchored at the site's root, and a leading slash only anchors. \`*\` and \`**\` match dot names too; braces and brackets as usual; no negation, no extended globs; case counts. What is in a folder is \`drafts/**\`.

## The cascade

Defaults first, then \`otherwise\` in place of the last default, then the rules under \`assign\` in order: a later match wins, property by property. The content type is settled first, by the rules without \`type\`; then rules with \`type\` (a media range, compared without parameters) take part for the other properties. A rule with \`ifUnset: true\` yields to every other rule and to every default but the last. \`fenestra survey --explain KEY\` prints the cascade of one object.

| default | caching |
|---|---|
| pages, feeds, manifests | ask every time |
| names that carry a content hash | keep for good |
| JSON, styles, scripts | ask every time |
| the rest | 1 hour, or what \`otherwise\` says |

Types come from the extension by the public media-type database, with \`charset=utf-8\` on text. Dot files and what operating systems leave behind are left out; \`.well-known/\` is not.

## cache

| value | sent as |
|---|---|
| \`90 seconds\`, \`10 days\`, \`1 year\` | \`max-age=…\` |
| \`revalidate\` | \`no-cache\`: keep it, ask every time |
| \`never\` | \`no-store\`: no cache keeps it. It protects from caches, not from readers |
| \`forever\` | \`max-age=31536000, immutable\` |
| \`until 2026-12-24\` | \`Expires\`, in UTC |
| \`unset\` | no cache header |
| \`{ fresh, shared, keptBy, immutable, mustRevalidate, whileRevalidating, ifError, noTransform, exceptFields, http10 }\` | \`max-age\`, \`s-maxage\`, \`public\` or \`private\`, \`immutable\`, \`must-revalidate\`, \`stale-while-revalidate\`, \`stale-if-error\`, \`no-transform\`, \`no-cache="…"\`, the HTTP/1.0 companions |
| \`{ header: "…" }\` | as written |

By RFC 9111, RFC 5861 and RFC 8246. Units run from seconds to years; a month is 30 days. Contradictions are refused.

## encoding

\`gzip\` or \`br\` compresses at publish time and labels the object. A file that is compressed already (\`app.js.gz\`) is labelled and not compressed twice; its type is that of the name inside.`;
