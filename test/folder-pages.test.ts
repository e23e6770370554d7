/** Hosts that look for index documents at the root alone: pages of folders are published at their folders' addresses too. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import { ask } from './helpers/ask.js';
import { chance, SEED } from './helpers/chance.js';
import { fenestra, makeProject, serve } from './helpers/program.js';

const page = (title: string, body: string): string =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title>${body}</html>`;
const ROOT_ALONE = '{ indexDocuments: root, folderWithoutSlash: missing }';

/** A tree of folders, some with an index document, whose pages link each other with a closing slash. */
function makeSite(random: () => number, index: string): Record<string, string> {
  const folders = [''];
  const NAMES = ['visit', 'news', 'café', 'old mill', 'a.b', 'times'];
  while (folders.length < 8) {
    const under = folders[Math.floor(random() * folders.length)] ?? '';
    const folder = `${under}${NAMES[Math.floor(random() * NAMES.length)]}/`;
    if (!folders.includes(folder)) folders.push(folder);
  }
  const paged = folders.filter((folder) => folder === '' || random() < 0.7);
  const links = paged.map((folder) => `<a href="/${encodeURI(folder)}#part">${folder}</a>`).join(' ');
  return Object.fromEntries(
    folders.map((folder) =>
      paged.includes(folder)
        ? [`site/${folder}${index}`, page(`Page ${folder}`, `<p id="part">${links}`)]
        : [`site/${folder}tide.txt`, `tide ${folder}`],
    ),
  );
}

const listFiles = (folder: string): string[] =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map(({ parentPath, name }) => join(parentPath, name).slice(folder.length + 1))
    .sort();

const publish = async (home: string, bucket: string): Promise<void> => {
  for (const words of [
    ['publish', '--yes', '--sure', bucket],
    ['access', 'open', '--sure', bucket],
  ])
    expect((await fenestra(home, ...words, '--to', bucket)).err).toBe('');
};

it.each([
  ['', 'index.html', ''],
  ['readable: { keys: ["*.html", "*.txt"], except: ["news/**"] }', 'index.html', ''],
  ['', 'start.html', ''],
  ['', 'index.html', 'docs/'],
])(
  'every folder answers as on a host that knows folders (%s %s %s)',
  { timeout: 60_000 },
  async (extra, index, under) => {
    const random = chance(`folders ${extra} ${index} ${under}`);
    for (let round = 0; round < 3; round++) {
      const files = makeSite(random, index);
      const below = under === '' ? '' : `, under: ${under}`;
      const home = makeProject(
        files,
        `site: site
documents: { index: ${index} }
${extra}
destinations:
  root-alone: { store: here, bucket: root-alone, folders: pages, quirks: ${ROOT_ALONE}${below} }
  all-folders: { store: here, bucket: all-folders${below} }
`,
      );
      await publish(home, 'root-alone');
      await publish(home, 'all-folders');
      const server = await serve(home);
      const folders = Object.keys(files).map((name) =>
        name
          .slice('site'.length)
          .replace(/[^/]*$/, '')
          .replace(/^\//, `/${under}`),
      );
      for (const folder of folders) {
        const [a, b] = await Promise.all(
          ['root-alone', 'all-folders'].map((bucket) =>
            ask(server.port, encodeURI(folder), { headers: { host: `${bucket}.localhost` } }),
          ),
        );
        const about = [SEED, round, folder];
        expect([...about, a?.status, a?.headers['content-type']]).toEqual([
          ...about,
          b?.status,
          b?.headers['content-type'],
        ]);
        if (b?.status === 200) expect(a?.body.equals(b.body)).toBe(true);
      }
      await server.stop();
      if (under === '' && extra === '') {
        const { out } = await fenestra(home, 'check', '--to', 'root-alone', '--all', '--json');
        const { findings, probes } = JSON.parse(out) as CheckJson;
        const rules = findings.map(({ rule }) => rule);
        expect([SEED, rules.filter((rule) => /reference|fragment/.test(rule)), probes.failed]).toEqual([
          SEED,
          [],
          0,
        ]);
        const copy = join(home, 'copy');
        expect((await fenestra(home, 'bucket', 'export', copy, '--to', 'root-alone')).code).toBe(0);
        const site = listFiles(join(home, 'site'));
        expect(listFiles(copy).filter((name) => name !== 'headers.jsonl')).toEqual(site);
      }
    }
  },
);

it('says what helps where such a host finds no page, and takes the copies back with the setting', async () => {
  const config = (more: string): string =>
    `site: site\ndestinations: { live: { store: here, bucket: test-mill, quirks: ${ROOT_ALONE}${more} } }\ndocuments: { index: index.html }\n`;
  const home = makeProject(
    {
      'site/index.html': page('Home', '<a href="/visit/">Visit</a>'),
      'site/visit/index.html': page('Visit', '<link rel="stylesheet" href="mill.css"><p>Come.'),
      'site/visit/mill.css': 'p { color: navy }',
    },
    config(''),
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const before = await fenestra(home, 'check');
  expect(before.out).toContain('this host looks for index documents at the root alone');
  expect(before.out).toContain('add "folders: pages" to the destination');
  writeFileSync(join(home, 'fenestra.yaml'), `${config(', folders: pages')}versioned: "*.css"\n`);
  const survey = await fenestra(home, 'survey');
  expect(survey.out).toMatch(/ visit\/ .*text\/html/);
  expect((await fenestra(home, 'publish', '--yes')).err).toBe('');
  // A part that has the page has its copy.
  const edited = page('Visit', '<link rel="stylesheet" href="mill.css"><p>Come in spring.');
  writeFileSync(join(home, 'site/visit/index.html'), edited);
  expect((await fenestra(home, 'publish', '--yes', '--matching', 'visit/index.html')).err).toBe('');
  // A page and its copy name the same versions.
  const server = await serve(home);
  const [copy, own] = await Promise.all(
    ['/visit/', '/visit/index.html'].map((path) =>
      ask(server.port, path, { headers: { host: 'test-mill.localhost' } }),
    ),
  );
  await server.stop();
  expect([copy?.status, copy?.body.toString()]).toEqual([200, own?.body.toString()]);
  expect(copy?.body.toString()).toContain('in spring');
  expect(copy?.body.toString()).toMatch(/mill\.[0-9a-f]+\.css/);
  expect((await fenestra(home, 'check')).code).toBe(0);
  expect((await fenestra(home, 'visit')).out).not.toContain('404');
  writeFileSync(join(home, 'fenestra.yaml'), config(''));
  expect((await fenestra(home, 'publish', '--yes')).out).toContain('visit/');
  expect((await fenestra(home, 'trace', '/visit/')).out).toMatch(/^404/m);
  expect(readFileSync(join(home, 'site/visit/index.html'), 'utf8')).toContain('mill.css');
});
