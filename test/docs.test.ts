import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, it } from 'vitest';
import { CATALOGUE } from '../src/core/errors/catalogue.js';
import { RELEASE_RULES } from '../src/core/check/release-rules.js';
import { SURVEY_RULES } from '../src/core/check/survey-rules.js';
import { COMMANDS } from '../src/cli/command-table.js';
import * as commands from '../src/cli/commands/index.js';
import { VERSION } from '../src/cli/version.js';
import { fenestra, run } from './helpers/program.js';

const sources = readdirSync('src', { recursive: true, encoding: 'utf8' }).filter(
  (name) => name.endsWith('.ts') && !name.endsWith('.test.ts'),
);
const code = sources.map((name) => readFileSync(join('src', name), 'utf8')).join('\n');

it('the references say what the code says', () => {
  execFileSync(process.execPath, ['dist/reference.js', '--check'], { stdio: 'pipe' });
});

it('every error in the catalogue is raised somewhere, and every rule has a file of its own name', () => {
  for (const name of Object.keys(CATALOGUE)) expect(code, name).toContain(`'${name}'`);
  const files = readdirSync('src/core/check/rules').map((name) => name.replace('.ts', ''));
  expect([...SURVEY_RULES, ...RELEASE_RULES].map(({ name }) => name).sort()).toEqual(files.sort());
});

it('links in the pages lead somewhere, and every picture is linked', () => {
  const pages = [
    'README.md',
    'CONTRIBUTING.md',
    ...readdirSync('docs')
      .filter((name) => name.endsWith('.md'))
      .map((name) => `docs/${name}`),
  ];
  const linked = new Set<string>();
  for (const page of pages) {
    for (const [, target = ''] of readFileSync(page, 'utf8').matchAll(/\]\(([^)#]+)[^)]*\)/g)) {
      if (/^https?:/.test(target)) continue;
      const path = join(dirname(page), target);
      linked.add(path);
      expect(existsSync(path), `${page} links to ${target}`).toBe(true);
    }
  }
  const pictures = readdirSync('docs/screenshots').map((name) => `docs/screenshots/${name}`);
  expect(pictures.length).toBeLessThan(20);
  expect(pictures.filter((picture) => !linked.has(picture))).toEqual([]);
});

it('the guide and the README name only commands and options that there are', async () => {
  const text = ['README.md', 'docs/guide.md'].map((page) => readFileSync(page, 'utf8')).join('\n');
  const helps = new Map<string, string>();
  for (const [, name = '', rest = ''] of text.matchAll(/fenestra ([a-z]+)([^\n`]*)/g)) {
    const entry = COMMANDS.find((each) => each.name === name);
    if (!entry) continue;
    const options = [...rest.replace(/#.*/, '').matchAll(/--[a-z-]+/g)];
    if (options.length > 0 && !helps.has(name)) helps.set(name, (await fenestra('.', name, '--help')).out);
    const help = helps.get(name) ?? '';
    for (const [option] of options) expect(help, `fenestra ${name} ${option}`).toContain(option);
  }
});

it('the version is that of the package', () => {
  expect(VERSION).toBe((JSON.parse(readFileSync('package.json', 'utf8')) as { version: string }).version);
});

it('long help has every option under a title, the shared ones last, in few lines', async () => {
  const grouped = Object.entries(commands).filter(([, { groups }]) => groups !== undefined);
  expect(grouped.map(([name]) => name).sort()).toEqual(['check', 'init', 'publish', 'visit']);
  for (const [name, { groups = {} }] of grouped) {
    const help = (await run('.', [name, '--help'], 100)).out;
    const titles = [...help.matchAll(/^([A-Z][^\n]*)\n +(?:-\w, |)--/gm)].map(([, title]) => title);
    expect(titles).toEqual([...Object.keys(groups), 'For every command']);
    for (const [part] of help.matchAll(/^ {2}(?: {4}|-\w, )--[^]*?(?=\n {2}(?: {4}|-\w, )--|\n\n)/gm))
      expect(part.split('\n').length, part).toBeLessThanOrEqual(name === 'check' ? 4 : 3);
  }
});

it('the package has whatever its README links to', () => {
  const packed = execFileSync('npm', ['pack', '--dry-run', '--json', '--ignore-scripts'], {
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
    maxBuffer: 2 ** 24,
  });
  const [{ files } = { files: [] }] = JSON.parse(packed) as { files: { path: string }[] }[];
  const paths = new Set(files.map(({ path }) => path));
  const links = [...readFileSync('README.md', 'utf8').matchAll(/\]\((?!https?:|#)([^)#]+)/g)].map(
    ([, path]) => path,
  );
  expect(links.length).toBeGreaterThan(30);
  expect(links.filter((path) => path !== undefined && !paths.has(path))).toEqual([]);
});

it('every command is in the table, and its help has an example', () => {
  expect(COMMANDS.map(({ name }) => name).sort()).toEqual(Object.keys(commands).sort());
  for (const [name, { examples }] of Object.entries(commands))
    expect(examples.map(([command]) => command).join('\n')).toContain(`fenestra ${name}`);
});
