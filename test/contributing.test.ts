/**
 * What CONTRIBUTING says that an addition takes is carried out in a copy of the house: with those files alone each works,
 * and with one of them forgotten the compiler or a test says which.
 */
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CONFIG, makeFolder, PAGE, runIn } from './helpers/program.js';

/** A file that is new, or a text in one that is there and what takes its place. */
type Change = string | readonly [old: string, now: string];

interface Addition {
  readonly what: string;
  /** As CONTRIBUTING has it. */
  readonly says: RegExp;
  readonly changes: Readonly<Record<string, Change>>;
  /** The change that is left out, and what is said then. */
  readonly forgotten?: readonly [file: string, said: RegExp];
}

const before = (text: string, added: string): Change => [text, `${added}${text}`];
const ADDITIONS: readonly Addition[] = [
  {
    what: 'a rule that looks at what no rule has looked at',
    says: /A rule: 3 files/,
    changes: {
      'src/core/check/rules/title-missing.ts': `
        import { releaseRule } from '../rule.js';

        export const titleMissing = releaseRule(
          {
            name: 'title-missing',
            level: 'note',
            explain: 'A page has no title, so that a tab, a bookmark and a search show its address.',
            example: 'a page without <title>',
            fix: 'Give it a title of its own.',
            needs: ['title'],
          },
          function* ({ pages }) {
            for (const { key, elements } of pages)
              if (elements('title').every(({ text }) => text === ''))
                yield { key, message: 'it has no title', fix: 'write a <title> into its head' };
          },
        );`,
      'src/core/check/release-rules.ts': [
        "import { styleTypeRefused } from './rules/style-type-refused.js';",
        "import { styleTypeRefused } from './rules/style-type-refused.js';\nimport { titleMissing } from './rules/title-missing.js';",
      ],
      'src/core/check/release-rules.ts#2': before('  sourceMapMissing,\n];', '  titleMissing,\n'),
      'src/core/check/release-rules.test.ts': before(
        "  ['document-empty', { files: { 'index.html': '' } }, /no bytes/],",
        "  ['title-missing', { files: { 'x.html': '<!doctype html><p>x' } }, /no title/],\n",
      ),
    },
    forgotten: ['src/core/check/release-rules.test.ts', /title-missing/],
  },
  {
    what: 'a quirk',
    says: /A quirk: 2 files and a row/,
    changes: {
      'src/core/hosting/quirks.ts': before(
        '  missingKey: quirk({',
        "  starStatus: quirk({ choices: [400, 404], explain: 'What GET of a star answers.', portable: 'Ask for no star.' }),\n",
      ),
      'src/core/hosting/resolve.ts': [
        "notice(400, 'malformed', 'the target *",
        "notice(quirks.starStatus, 'malformed', 'the target *",
      ],
      'src/core/hosting/quirks.test.ts': before(
        "  missingKey: { target: '/none' },",
        "  starStatus: { target: '*' },\n",
      ),
    },
    forgotten: ['src/core/hosting/quirks.test.ts', /quirks\.test\.ts.*'starStatus' is missing/s],
  },
  {
    what: 'a rule of names',
    says: /A rule of names: 3 files/,
    changes: {
      'src/core/dns/rules/name-long.ts': `
        import { nameRule } from '../naming-context.js';

        export const nameLong = nameRule(
          { name: 'name-long', level: 'note', explain: 'A name is long.', example: 'a.b.example', fix: 'Take a shorter one.' },
          function* ({ facts }) {
            if (facts.name.length > 60) yield { message: 'it is long', fix: 'take a shorter one', about: facts.name };
          },
        );`,
      'src/core/dns/name-rules.ts': before(
        "import { aliasAtApex } from './rules/alias-at-apex.js';",
        "import { nameLong } from './rules/name-long.js';\n",
      ),
      'src/core/dns/name-rules.ts#2': before('  lookUpEnded,\n', '  nameLong,\n'),
      'src/core/dns/name-rules.test.ts': before(
        "  ['a first look', {}, { lookedFirst: 60 }, ['first-look']],",
        "  ['a long name', { name: `${'n'.repeat(60)}.mill.example` }, {}, expect.arrayContaining(['name-long']) as unknown as string[]],\n",
      ),
    },
    forgotten: ['src/core/dns/name-rules.test.ts', /name-long/],
  },
  {
    what: 'a command',
    says: /A command: 3 files/,
    changes: {
      'src/cli/commands/greet.ts': `
        import { defineCommand } from '../command.js';

        export default defineCommand<object>({
          describe: 'Greets.',
          examples: [['fenestra greet', 'a word of welcome']],
          options: (yargs) => yargs,
          run(_args, terminal) {
            terminal.print('Welcome to the mill.');
            return Promise.resolve(undefined);
          },
        });`,
      'src/cli/commands/index.ts': before(
        'export { default as init }',
        "export { default as greet } from './greet.js';\n",
      ),
      'src/cli/command-table.ts': before("  entry('sweep',", "  entry('greet', 'a word of welcome'),\n"),
    },
    forgotten: ['src/cli/commands/index.ts', /command-table\.ts.*"greet"/s],
  },
  {
    what: 'a report kind',
    says: /A report kind: 2 files and a row/,
    changes: {
      'src/report/text/check-list.ts': `
        import type { CheckOutcome } from '../../core/check/outcome.js';

        export const renderList = ({ findings }: CheckOutcome): string =>
          findings.map(({ rule, key = '' }) => \`\${rule} \${key}\\n\`).join('');`,
      'src/report/check-reports.ts': before(
        "  {\n    extension: '.csv',",
        "  {\n    extension: '.txt',\n    help: 'a line for each finding',\n    render: async (outcome) => (await import('./text/check-list.js')).renderList(outcome),\n  },\n",
      ),
      'test/tables.test.ts': before(
        "  '.html': (text) =>",
        "  '.txt': (text) => text.includes('reference-missing'),\n",
      ),
    },
    forgotten: ['test/tables.test.ts', /tables\.test\.ts.*\.txt/s],
  },
  {
    what: 'a property that rules assign',
    says: /A property that rules assign: 1 file/,
    changes: {
      'src/core/assign/properties.ts': before(
        '  disposition: {',
        "  robots: {\n    label: 'robots',\n    headers: ['X-Robots-Tag'],\n    explain: 'What search engines are told.',\n    shape: { is: 'text', what: 'a word for robots', pattern: /^[a-z, ]+$/, fault: 'is words such as noindex' },\n  },\n",
      ),
    },
  },
  {
    what: 'an error',
    says: /An error: 1 file/,
    changes: {
      'src/core/errors/catalogue.ts': before(
        '  EXPORT_FAILED: entry(',
        "  MILL_STOPPED: entry(EXIT.store, 'The mill at {place} stands still.', 'Open the sluice.'),\n",
      ),
      'src/jobs/mill.ts':
        "import { FenestraError } from '../core/errors/catalogue.js';\n\nexport const stopped = new FenestraError('MILL_STOPPED', { place: 'Wendle' });\n",
    },
  },
];
const foldersIn = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true })
    .filter((each) => each.isDirectory())
    .map(({ name }) => name)
    .sort();

/** An error that is raised without what its message has in braces. */
const WITHOUT_DETAIL =
  "import { FenestraError } from '../core/errors/catalogue.js';\n\nexport const stopped = new FenestraError('PORT_IN_USE', { port: 1 });\n";

/** A copy of the house in which the additions were made. @param isDone says of an addition's file whether it is changed */
function build(isDone: (addition: Addition, file: string) => boolean): string {
  const copy = makeFolder();
  for (const name of ['src', 'scripts', 'docs', 'test', 'demo', 'package.json', 'package-lock.json'])
    cpSync(name, join(copy, name), { recursive: true, preserveTimestamps: true });
  for (const name of ['tsconfig.json', 'vitest.config.ts', 'fenestra.schema.json'])
    cpSync(name, join(copy, name), { preserveTimestamps: true });
  symlinkSync(resolve('node_modules'), join(copy, 'node_modules'));
  for (const addition of ADDITIONS)
    for (const [name, change] of Object.entries(addition.changes)) {
      const file = join(copy, name.replace(/#.*/, ''));
      if (!isDone(addition, name.replace(/#.*/, ''))) continue;
      const text = typeof change === 'string' ? change.replace(/^\n/, '') : readFileSync(file, 'utf8');
      if (typeof change !== 'string') expect([name, text.split(change[0]).length]).toEqual([name, 2]);
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, typeof change === 'string' ? text : text.replace(change[0], () => change[1]));
    }
  return copy;
}

/** @throws what it printed, where it fails */
const passes = async (running: ReturnType<typeof runIn>): Promise<void> => {
  const { code, text } = await running;
  if (code !== 0) throw new Error(text);
};
const node = (home: string, file: string, ...words: string[]): ReturnType<typeof runIn> =>
  runIn(home, process.execPath, file, ...words);
const compile = (home: string): ReturnType<typeof runIn> =>
  node(home, 'node_modules/typescript/bin/tsc', '--noEmit', '-p', '.');
const TABLES = [
  'src/core/check/release-rules.test.ts',
  'src/core/hosting/quirks.test.ts',
  'src/core/dns/name-rules.test.ts',
];
const runTests = (home: string, ...words: string[]): ReturnType<typeof runIn> =>
  node(home, 'node_modules/vitest/vitest.mjs', 'run', '--root', '.', ...words);

describe('what the page on contributing says that an addition takes', () => {
  let done: string;
  let forgotten: string;
  beforeAll(() => {
    done = build(() => true);
    forgotten = build((addition, file) => addition.forgotten?.[0] !== file);
    writeFileSync(join(forgotten, 'src/jobs/mill.ts'), WITHOUT_DETAIL);
  });
  afterAll(() => [done, forgotten].forEach((copy) => rmSync(copy, { recursive: true, force: true })));

  it('has every room of the house, and no other', () => {
    const page = readFileSync('CONTRIBUTING.md', 'utf8');
    const layout = page.slice(page.indexOf('src/\n'), page.indexOf('\ntest/'));
    const rooms = [...layout.matchAll(/^ {2}([a-z]+)\/ /gm)].map(([, name = '']) => name);
    const within = (room: string): string[] => {
      const [, own = ''] =
        new RegExp(`^  ${room}/ [^]*?\\n    ([^]*?)\\n(?:  \\w|$)`, 'm').exec(`${layout}\n`) ?? [];
      return [...own.matchAll(/\b([a-z]+)\//g)].map(([, name = '']) => name).sort();
    };
    expect(rooms.sort()).toEqual(foldersIn('src'));
    for (const room of ['core', 'jobs', 'report'])
      expect([room, within(room)]).toEqual([room, foldersIn(`src/${room}`)]);
  });

  it('is said there', () => {
    const page = readFileSync('CONTRIBUTING.md', 'utf8');
    for (const { says, changes } of ADDITIONS) {
      expect(page).toMatch(says);
      const files = new Set(Object.keys(changes).map((name) => name.replace(/#.*/, '')));
      const [, count = '', row = ''] = /(\d) files?( and a row)?/.exec(says.source) ?? [];
      // An error is raised somewhere.
      const own = [...files].filter((file) => !file.endsWith('mill.ts')).length;
      expect([says.source, own]).toEqual([says.source, Number(count) + (row === '' ? 0 : 1)]);
    }
  });

  it('is all that it takes: the compiler, the tables and the program know each of them', async () => {
    await Promise.all([
      passes(runTests(done, '--project', 'pure', ...TABLES)),
      passes(node(done, 'scripts/build.mjs')),
    ]);
    const home = makeFolder({
      'fenestra.yaml': `${CONFIG}quirks: { starStatus: 404 }\nassign:\n  - { to: "*.html", robots: noindex }\n`,
      'site/index.html': PAGE,
      'site/not-found.html': PAGE,
      'site/plain.html': PAGE.replace(/<title>[^<]*<\/title>/, ''),
    });
    const program = join(done, 'dist/fenestra.js');
    expect((await node(home, program, 'greet')).text).toBe('Welcome to the mill.');
    expect((await node(home, program)).text).toContain('a word of welcome');
    const checked = await node(home, program, 'check', '--unpublished', '--report', 'list.txt');
    expect(checked.text).toMatch(/plain\.html: it has no title/);
    expect(readFileSync(join(home, 'list.txt'), 'utf8')).toContain('title-missing plain.html\n');
    const { text } = await node(home, program, 'survey', '--json');
    expect(text).toContain('"X-Robots-Tag": "noindex"');
  });

  it('is named where it is forgotten', { timeout: 400_000 }, async () => {
    const [types, tables, program] = await Promise.all([
      compile(forgotten),
      runTests(forgotten, '--project', 'pure', ...TABLES),
      runTests(forgotten, '--project', 'program', 'test/tables.test.ts', '-t', 'every kind of report'),
    ]);
    const said = types.text + tables.text + program.text;
    for (const { what, forgotten: left } of ADDITIONS)
      if (left) expect([what, left[1].test(said)]).toEqual([what, true]);
    expect(types.text).toMatch(/mill\.ts.*'host' is missing/s);
    // Of all the additions nothing else fails to compile.
    expect([...types.text.matchAll(/^(\S+)\(\d+,\d+\): error/gm)].map(([, file]) => file).sort()).toEqual([
      'src/cli/command-table.ts',
      'src/core/hosting/quirks.test.ts',
      'src/jobs/mill.ts',
    ]);
  });
});
