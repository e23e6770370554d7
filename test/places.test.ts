/** A fault that many pages have is one finding, and every place of it is to be found. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import { fenestra, makeFolder, makeProject, PAGE, writeFiles } from './helpers/program.js';

const withText = (text: string): string => PAGE.replace('</html>', `${text}</html>`);
const PAGES = Array.from({ length: 40 }, (_, n) => `pages/${n}.html`);
const SITE = {
  ...Object.fromEntries(PAGES.map((key) => [`site/${key}`, withText('\n<a href="/gone/">x</a>\n')])),
  'site/=1+1.html': withText('<a href="/gone/">x</a>\n<a href="/lost/">y</a>\n'),
};
const PLACES = [...PAGES.map((key) => `${key}:2`), '=1+1.html:1'];
const CHECK = ['check', '--unpublished'];
const REPORTS = ['r.html', 'r.xml', 'r.sarif', 'r.json', 'r.csv'].flatMap((file) => ['--report', file]);

interface Log {
  runs: [{ results: { ruleId: string; locations: unknown[]; partialFingerprints: object }[] }];
}

let home: string;
let out: string;
const read = (name: string): string => readFileSync(join(home, name), 'utf8');
const results = (): Log['runs'][0]['results'] => (JSON.parse(read('r.sarif')) as Log).runs[0].results;

beforeAll(async () => {
  home = makeProject(SITE);
  const known = ['--save-baseline', 'known.json'];
  const outcome = await fenestra(home, ...CHECK, '--in-full', ...REPORTS, ...known);
  // What was found is known from now on.
  expect([outcome.code, outcome.out]).toEqual([
    0,
    expect.stringContaining('fenestra check --baseline known.json fails on what is new alone') as string,
  ]);
  out = outcome.out;
});

it('in full each has a line of its own', () => {
  const lines = out.split('\n').map((line) => line.trim());
  for (const place of PLACES) expect(lines).toContain(place);
  expect(lines).toContain('=1+1.html:2: "/lost/" leads nowhere: there is no /lost/');
});

it('in short it says that there are more, and how to see them', async () => {
  const short = await fenestra(home, ...CHECK);
  expect(short.out).toMatch(/=1\+1\.html:1, pages\/0\.html:2, pages\/1\.html:2 and 38 others: "\/gone\/"/);
  expect(short.out).toContain('--in-full lists every finding with every place');
});

it('JSON, SARIF, CSV, JUnit and the page have them all', () => {
  const findings = (JSON.parse(read('r.json')) as { findings: { about?: string; elsewhere?: unknown[] }[] })
    .findings;
  expect(findings.find(({ about }) => about === '/gone/')?.elsewhere).toHaveLength(PLACES.length - 1);
  expect(results().map(({ locations }) => locations.length)).toEqual([PLACES.length, 1]);
  expect(read('r.csv').match(/^error,reference-missing,.*"""\/gone\/""/gm)).toHaveLength(PLACES.length);
  for (const place of PLACES) {
    expect(read('r.html')).toContain(`>${place}<`);
    expect(read('r.xml')).toContain(place);
  }
});

it('a file named like a formula is none in the spreadsheet', () => {
  expect(read('r.csv')).toContain("error,reference-missing,'=1+1.html,2,");
});

it('one more page with the same fault, and another first, change neither the baseline nor what names the finding', async () => {
  const before = results().map(({ partialFingerprints }) => partialFingerprints);
  expect(new Set(before.map((each) => JSON.stringify(each))).size).toBe(2);
  writeFiles(home, { 'site/!first.html': withText('<a href="gone/">x</a>\n') });
  const { code, out: said } = await fenestra(home, ...CHECK, ...REPORTS, '--baseline', 'known.json');
  expect({ code, said: /2 known problems left out/.test(said) }).toEqual({ code: 0, said: true });
  await fenestra(home, ...CHECK, ...REPORTS);
  expect(results().map(({ partialFingerprints }) => partialFingerprints)).toEqual(before);
  writeFiles(home, { 'site/!first.html': withText('<a href="/another/">x</a>\n') });
  expect((await fenestra(home, ...CHECK, '--baseline', 'known.json')).code).toBe(1);
});

it('what stands in a config is placed in that one, and files from the root of their repository', async () => {
  const root = makeFolder({
    '.git/HEAD': '',
    'site/index.html': PAGE,
    'web/other.yaml':
      'site: ../site\ndestinations: { a: { store: here, bucket: mill-a }, b: { store: here, bucket: mill-b } }\nassign: [{ to: "*.none", cache: 1 day }]\n',
  });
  const config = ['--config', 'web/other.yaml'];
  for (const to of ['a', 'b']) await fenestra(root, 'publish', '--yes', '--to', to, ...config);
  const { out: said } = await fenestra(root, 'check', '--expect', 'closed', ...config, '--report', 'r.sarif');
  expect(said).toContain('other.yaml line 3: rule 1 (*.none) matches no object');
  const sarif = JSON.parse(readFileSync(join(root, 'r.sarif'), 'utf8')) as {
    runs: [{ originalUriBaseIds: object; results: { ruleId: string; locations: object[] }[] }];
  };
  expect(sarif.runs[0].originalUriBaseIds).toMatchObject({ SITE: { uri: 'site/', uriBaseId: 'REPOSITORY' } });
  const finding = sarif.runs[0].results.find(({ ruleId }) => ruleId === 'rule-matches-nothing');
  expect(finding?.locations).toMatchObject([
    { physicalLocation: { artifactLocation: { uri: 'web/other.yaml', uriBaseId: 'REPOSITORY' } } },
  ]);
  // The cure is about the destination whose address it is, and runs as it is printed.
  const traced = await fenestra(root, 'trace', 'http://mill-b.localhost:4680/', ...config);
  expect(traced.out).toContain('cure: fenestra access open --sure mill-b --to b --config web/other.yaml');
});
