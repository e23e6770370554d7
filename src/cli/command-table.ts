/** The commands by name, light enough to be listed without loading any of them. */
import { VERSION } from './version.js';
import type * as Commands from './commands/index.js';

export interface TableEntry {
  readonly name: keyof typeof Commands;
  readonly summary: string;
}

const entry = (name: keyof typeof Commands, summary: string): TableEntry => ({
  name,
  summary,
});

export const COMMANDS: readonly TableEntry[] = [
  entry('init', 'adopt a folder of built files, or start a small site'),
  entry('survey', 'read the site: types, caching, who may read what, findings'),
  entry('publish', 'show what would change, ask, and publish it at one instant'),
  entry('access', 'see, open or close a bucket to the public'),
  entry('serve', 'host the buckets on this machine as a bucket host would'),
  entry('trace', 'say why an address answers as it does'),
  entry('check', 'prove that the published site works'),
  entry('visit', 'load pages as a browser would, first and again'),
  entry('cost', "the month's cost by a rate card, and what caching saves of it"),
  entry('domain', "the site's own host names: records, what name servers say, how long to wait"),
  entry('history', 'the releases of a bucket, and what each changed'),
  entry('restore', 'publish the state of an earlier release again'),
  entry('sweep', 'remove what is due, and stored bytes that nothing needs'),
  entry('bucket', 'list, create, show, export, mend, empty or remove buckets'),
  entry('store', 'try what a store can do, and as which host it answers'),
  entry('config', 'show, check or describe the config'),
  entry('demo', 'a full example, start to finish'),
];

const COMMON: readonly (readonly [option: string, does: string])[] = [
  ['--config FILE', 'the config, when it is not ./fenestra.yaml'],
  ['--json', 'one JSON document on stdout and nothing else'],
  ['--progress KIND', 'line on a terminal, json for build servers, or none'],
  ['--debug', 'show where an unexpected failure came from'],
  ['--help', 'the help of a command, with an example'],
  ['--version', VERSION],
];

/**
 * The help of `fenestra` alone: made without loading any command, so that it comes at once.
 * @param wrap breaks a text that begins at a column; without it everything fits
 */
export function formatHelp(wrap: (text: string, column: number) => string = (text) => text): string {
  const table = (rows: readonly (readonly [string, string])[]): string => {
    const width = Math.max(...rows.map(([name]) => name.length)) + 5;
    return rows.map(([name, does]) => `  ${name}`.padEnd(width) + wrap(does, width)).join('\n');
  };
  return `${wrap('Fenestra publishes a static site to an object-storage bucket and proves that it works there.', 0)}

  fenestra COMMAND [options]

${table(COMMANDS.map(({ name, summary }) => [name, summary]))}

Options that every command takes
${table(COMMON)}

${wrap('Begin with `fenestra init` in a project, or with `fenestra demo` anywhere.', 0)}`;
}

/** So wide is the help. */
export const HELP_WIDTH = 92;
