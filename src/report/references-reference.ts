/** docs/references.md: what texts refer to, from the tables that the readers themselves go by. */
import { TAGS, type Asks } from '../core/reading/page/elements.js';
import { LOADING } from '../core/visiting/document-loads.js';
import { PROPERTIES, type Property } from '../core/visiting/style-properties.js';
import { PRELOADED, RELS, type LinkAsks } from '../core/reading/page/links-and-scripts.js';

const ASKED: Readonly<Record<Asks, string>> = {
  never: 'not by itself',
  met: 'at once',
  near: 'at once; a lazy one once it is near the window',
  outside: 'at once, where it is another document',
  picture: 'the one that fits the window, once it is near if it is lazy',
  film: 'unless `preload` is `none`, by ranges',
  part: 'where it is the one that fits',
  captions: 'with `default`, where the film is asked for',
  link: 'see below',
  script: 'at once; `nomodule` never, unknown types never',
};
const LINKED: Readonly<Record<LinkAsks, string>> = {
  never: 'not by itself',
  style: 'at once, `disabled` ones never',
  icon: 'late, of the page itself',
  manifest: 'late, of the page itself',
  module: 'at once, what it imports once it runs',
  preload: 'at once, where `media` fits',
  prefetch: 'late',
};

/** When a browser asks for what a property of styles names. Those without words decide what others load. */
const STYLED: Readonly<Partial<Record<Property, string>>> = {
  background: 'where the element is shown',
  border: 'where the element is shown',
  mask: 'where the element is shown',
  content: 'where the element is shown',
  shape: 'where the element is shown',
  filter: 'where the element is shown, of another file',
  clip: 'where the element is shown, of another file',
  fill: 'where the element is shown, of another file',
  stroke: 'where the element is shown, of another file',
  list: 'where a list item has it, its own or inherited',
  cursor: 'where the element is shown',
  family: 'the fonts that some text of the page is set in',
};

/** Rows of a table for Markdown, those that differ in their first cell alone put together. */
function tableOf(head: readonly string[], rows: readonly (readonly string[])[]): string {
  const grouped = new Map<string, string[]>();
  for (const [first = '', ...rest] of rows) {
    const key = rest.join(' | ');
    grouped.set(key, [...(grouped.get(key) ?? []), first]);
  }
  const lines = [...grouped].map(([rest, firsts]) => `| ${firsts.join(', ')} | ${rest} |`);
  return [`| ${head.join(' | ')} |`, `|${head.map(() => '---').join('|')}|`, ...lines].join('\n');
}

/** The sections of the page. */
export function listReferenceTables(): string {
  const elements = [...TAGS.values()].flatMap(({ name, leads }) =>
    leads.map(({ attribute, use, asks, candidates, within, only }) => [
      `\`${name}\``,
      `\`${attribute}\`${candidates ? ', each candidate' : ''}${only ? ', with `type=image`' : ''}`,
      within ? `${use}; in \`${within[0]}\` ${within[1]}` : use,
      ASKED[asks],
    ]),
  );
  const rels = RELS.map(({ names, use, asks }) => [
    names.map((name) => `\`${name}\``).join(', '),
    asks === 'preload' ? 'what `as` says' : (use ?? 'no reference'),
    use === undefined ? '' : LINKED[asks],
  ]);
  const preloads = [...PRELOADED].map(([as, use]) => [`\`${as}\``, use]);
  const styled = [...PROPERTIES].flatMap(([name, [property]]) => {
    const words = property === undefined ? undefined : STYLED[property];
    return words === undefined ? [] : [[`\`${name}\``, words]];
  });
  return [
    `## Elements of pages\n\n${tableOf(['element', 'attribute', 'is for', 'a browser asks for it'], elements)}`,
    `## \`link\`, by its \`rel\`\n\nThe first row that fits counts; any other \`rel\` is a link.\n\n${tableOf(['rel', 'is for', 'a browser asks for it'], rels)}`,
    `## A preload, by its \`as\`\n\n${tableOf(['as', 'is for'], preloads)}`,
    `## Properties of styles\n\nOf the declarations that win by the cascade; an address in any other property, and any other element with ${LOADING.map((name) => `\`${name}\``).join(', ')}, is named by \`fenestra visit\` under "Not known".\n\n${tableOf(['property', 'a browser asks for it'], styled)}`,
  ].join('\n\n');
}
