import { readFileSync, existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import {
  CONFIG,
  DEMO,
  ERROR_PAGE,
  fenestra,
  fenestraJson,
  makeFolder,
  makeProject,
  PAGE,
  serve,
  writeFiles,
} from './helpers/program.js';
import { ask } from './helpers/ask.js';

interface PublishJson {
  bucket: string;
  address: string;
  release: number | null;
  changes: { key: string; change: string; movedFrom?: string }[];
  settings: { name: string }[];
  totals: Record<string, number>;
  stale: { key: string }[];
}
const kinds = ({ changes }: PublishJson): string =>
  changes.map(({ change, key }) => `${change} ${key}`).join(', ');

describe('the first path', () => {
  it('goes from a folder to a checked site', async () => {
    const home = makeFolder({
      'dist/index.html': PAGE,
      'dist/404.html': ERROR_PAGE,
      'dist/visit/index.html': PAGE,
      'dist/drafts/a.html': PAGE,
      'dist/.env': 'x',
    });
    const made = await fenestraJson(home, 'init', '--bucket', 'test-mill');
    expect(made).toMatchObject({
      adopted: true,
      files: 4,
      documents: { index: 'index.html', error: '404.html' },
    });
    expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toContain('except: ["drafts/**"]');

    const survey = await fenestraJson<{
      objects: { key: string; public: boolean; contentType: string }[];
      findings: unknown[];
    }>(home, 'survey');
    expect(survey.objects.map(({ key, public: open }) => `${key} ${open}`)).toEqual([
      '404.html true',
      'drafts/a.html false',
      'index.html true',
      'visit/index.html true',
    ]);
    expect(survey.findings).toEqual([]);

    const dry = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
    expect(dry).toMatchObject({ release: null, totals: { add: 4, keep: 0 } });
    expect(existsSync(join(home, '.fenestra', 'store'))).toBe(false);
    expect(await fenestraJson<PublishJson>(home, 'publish', '--yes')).toMatchObject({
      bucket: 'test-mill',
      release: 1,
      address: 'http://test-mill.localhost:4680/',
    });
    const again = await fenestra(home, 'publish', '--yes');
    expect(again).toMatchObject({
      code: 0,
      out: 'Nothing has changed: test-mill is at release 1 with 4 objects.',
    });

    const closed = await fenestra(home, 'check', '--json');
    expect(closed.code).toBe(1);
    expect(JSON.parse(closed.out)).toMatchObject({
      selfTest: true,
      probes: { failed: 0 },
      findings: [
        {
          rule: 'bucket-closed',
          level: 'error',
          fix: expect.stringContaining('fenestra access open --sure test-mill') as string,
        },
      ],
    });
    expect((await fenestra(home, 'check', '--expect', 'closed')).code).toBe(0);

    const server = await serve(home);
    try {
      expect((await ask(server.port, '/')).status).toBe(403);
      expect((await fenestra(home, 'access', 'open')).code).toBe(4);
      expect((await fenestra(home, 'access', 'open', '--sure', 'other')).code).toBe(4);
      expect((await ask(server.port, '/')).status).toBe(403);
      expect(await fenestraJson(home, 'access', 'open', '--sure', 'test-mill')).toMatchObject({
        access: 'open',
        readable: { count: 3 },
        notReadable: [{ key: 'drafts/a.html' }],
      });
      expect(await ask(server.port, '/')).toMatchObject({ status: 200, body: Buffer.from(PAGE) });
      expect((await ask(server.port, '/visit')).headers.location).toBe('/visit/');
      expect((await ask(server.port, '/a/b/c/d')).status).toBe(404);
      expect((await ask(server.port, '/drafts/a.html')).status).toBe(403);
      const checked = await fenestraJson(home, 'check', '--at', `http://test-mill.localhost:${server.port}/`);
      expect(checked).toMatchObject({
        selfTest: false,
        probes: { failed: 0, retries: 0 },
        failures: [],
        findings: [],
      });
      await fenestra(home, 'access', 'close');
      expect((await ask(server.port, '/')).status).toBe(403);
    } finally {
      expect(await server.stop()).toBe(0);
    }
  });

  it('starts a small site where there is none, and it checks clean', async () => {
    const home = makeFolder();
    expect(await fenestraJson(home, 'init', '--bucket', 'new-mill')).toMatchObject({ adopted: false });
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'new-mill');
    expect(await fenestraJson(home, 'check')).toMatchObject({ findings: [], failures: [] });
  });

  it('runs the whole demo, in words and as JSON, and leaves nothing behind', async () => {
    const before = readdirSync(DEMO);
    const { code, out, err } = await fenestra(makeFolder(), 'demo');
    expect({ code, err }).toEqual({ code: 0, err: '' });
    for (const part of [
      '49 objects',
      'No findings.',
      'Published release 1',
      '403',
      'cure: fenestra access open --sure wendle-mill',
      '302 → /visit/',
      '404  "No such page',
      'It works.',
      '404  "Orders of the Wendle Creek Tide Mill"',
      '200  "Orders of the Wendle Creek Tide Mill"',
    ])
      expect(out).toContain(part);
    const { steps } = await fenestraJson<{ steps: { title: string; exit?: number; result?: object }[] }>(
      makeFolder(),
      'demo',
    );
    const resultOf = (wanted: string): object | undefined =>
      steps.find(({ title, exit }) => title === wanted && exit === 0)?.result;
    expect(resultOf('Publishing exactly that')).toMatchObject({ release: 1 });
    expect(resultOf('Does all of it work')).toMatchObject({ passed: true });
    expect(resultOf('What visitors ask for, first and again')).toMatchObject({
      paths: ['/', '/visit/', '/mill/film/'],
      closed: false,
    });
    expect(resultOf('One style changes')).toMatchObject({
      waiting: expect.arrayContaining([expect.objectContaining({ plainKey: 'styles/mill.css' })]),
    });
    expect(resultOf('Who names it, and how')).toMatchObject({ key: 'styles/mill.css' });
    expect(readdirSync(DEMO)).toEqual(before);
  });

  it('shows an example in the help of every command', async () => {
    const home = makeFolder();
    const help = await fenestra(home, '--help');
    const names = [...help.out.matchAll(/^ {2}([a-z]+) {3}/gm)].map(([, name]) => name ?? '');
    expect(names.length).toBeGreaterThan(7);
    for (const name of names) {
      const { code, out } = await fenestra(home, name, '--help');
      expect([code, out]).toEqual([0, expect.stringMatching(/Examples[\s\S]*fenestra /)]);
    }
  });
});

describe('publishing again', () => {
  it('replaces, relabels, removes, moves, and says what visitors may still hold', async () => {
    const home = makeProject({
      'site/a.png': 'one',
      'site/b.css': 'b{}',
      'site/c.txt': 'gone',
      'site/old/name.txt': 'the same bytes',
    });
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(home, {
      'site/a.png': 'two',
      'site/new/name.txt': 'the same bytes',
      'fenestra.yaml':
        readFileSync(join(home, 'fenestra.yaml'), 'utf8') + 'assign:\n  - { to: "*.css", cache: 1 day }\n',
    });
    const { rmSync } = await import('node:fs');
    rmSync(join(home, 'site/c.txt'));
    rmSync(join(home, 'site/old'), { recursive: true });
    const second = await fenestraJson<PublishJson>(home, 'publish', '--yes', '--note', 'Second');
    expect(kinds(second)).toBe(
      'replace a.png, relabel b.css, remove c.txt, add new/name.txt, remove old/name.txt',
    );
    expect(second.changes.find(({ key }) => key === 'new/name.txt')?.movedFrom).toBe('old/name.txt');
    expect(second).toMatchObject({
      release: 2,
      totals: { keep: 2, add: 1, replace: 1, relabel: 1, remove: 2 },
    });
    expect(second.stale.map(({ key }) => key)).toEqual(expect.arrayContaining(['a.png', 'c.txt']));
  });

  it('publishes a part and leaves the rest and the settings alone', async () => {
    const home = makeProject({ 'site/posters/a.txt': 'a', 'site/b.txt': 'b' });
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(home, {
      'site/posters/a.txt': 'A',
      'site/b.txt': 'B',
      'fenestra.yaml': readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace(
        'not-found.html',
        'index.html',
      ),
    });
    const part = await fenestraJson<PublishJson>(home, 'publish', '--yes', '--matching', 'posters/**');
    expect([kinds(part), part.settings]).toEqual(['replace posters/a.txt', []]);
    const rest = await fenestraJson<PublishJson>(home, 'publish', '--yes');
    expect([kinds(rest), rest.settings.map(({ name }) => name)]).toEqual([
      'replace b.txt',
      ['documents.error'],
    ]);
  });

  it('asks for the name before most of a bucket goes, and before more of it can be read', async () => {
    const home = makeProject(
      {
        'site/a.txt': 'a',
        'site/b.txt': 'b',
        'site/c.txt': 'c',
        'site/drafts/d.txt': 'd',
        'site/drafts/e.txt': 'e',
      },
      `${(await import('./helpers/program.js')).CONFIG}readable: { keys: ["**"], except: ["drafts/**"] }\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
    writeFiles(home, { 'fenestra.yaml': config.replace(', except: ["drafts/**"]', '') });
    const wider = await fenestra(home, 'publish', '--yes');
    expect([wider.code, wider.out, wider.err]).toEqual([
      4,
      expect.stringContaining('drafts/d.txt'),
      expect.stringContaining('--sure test-mill'),
    ]);
    writeFiles(home, { 'fenestra.yaml': config });
    const { rmSync } = await import('node:fs');
    for (const name of ['a.txt', 'b.txt', 'c.txt', 'drafts/d.txt'])
      rmSync(join(home, 'site', name), { recursive: true });
    expect(await fenestra(home, 'publish', '--yes')).toMatchObject({
      code: 4,
      err: expect.stringContaining('removes 4 of the 7 objects') as string,
    });
    expect((await fenestra(home, 'publish', '--yes', '--sure', 'test-mill')).code).toBe(0);
  });

  it('does not trust what it remembers of a file whose time was set back', async () => {
    const { utimesSync, statSync } = await import('node:fs');
    const home = makeProject({ 'site/a.txt': 'aaaa' });
    const path = join(home, 'site/a.txt');
    utimesSync(path, 1_700_000_000, 1_700_000_000);
    const digestOf = async (): Promise<string> =>
      (await fenestraJson<{ objects: { key: string; digest: string }[] }>(home, 'survey')).objects.find(
        ({ key }) => key === 'a.txt',
      )?.digest ?? '';
    await new Promise((done) => setTimeout(done, 2200));
    const first = await digestOf();
    expect((await fenestraJson<{ totals: { read: number } }>(home, 'survey')).totals.read).toBe(0);
    writeFiles(home, { 'site/a.txt': 'bbbb' });
    utimesSync(path, 1_700_000_000, 1_700_000_000);
    expect(statSync(path).size).toBe(4);
    expect(await digestOf()).not.toBe(first);
  });

  it('compresses where a rule says so, labels it, and does not compress twice', async () => {
    const { gzipSync, gunzipSync, brotliDecompressSync } = await import('node:zlib');
    const text = 'The wheel turns. '.repeat(30_000);
    const home = makeProject(
      {
        'site/big.txt': text,
        'site/data.csv': 'a,b\n'.repeat(500),
        'site/app.js.gz': gzipSync('let x = 1;'),
      },
      `${(await import('./helpers/program.js')).CONFIG}assign:\n  - { to: ["*.txt", "*.js.gz"], encoding: gzip }\n  - { type: text/csv, encoding: br }\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    expect(await fenestraJson(home, 'check')).toMatchObject({ findings: [], failures: [] });
    const server = await serve(home);
    try {
      const big = await ask(server.port, '/big.txt');
      expect([
        big.headers['content-encoding'],
        big.headers['content-type'],
        gunzipSync(big.body).toString(),
      ]).toEqual(['gzip', 'text/plain; charset=utf-8', text]);
      const csv = await ask(server.port, '/data.csv');
      expect([csv.headers['content-encoding'], brotliDecompressSync(csv.body).toString()]).toEqual([
        'br',
        'a,b\n'.repeat(500),
      ]);
      const script = await ask(server.port, '/app.js.gz');
      expect([
        script.headers['content-encoding'],
        script.headers['content-type'],
        gunzipSync(script.body).toString(),
      ]).toEqual(['gzip', 'text/javascript; charset=utf-8', 'let x = 1;']);
    } finally {
      await server.stop();
    }
  });
});

it('bucket list says where an open bucket can be read by nobody', async () => {
  const home = makeProject({}, `${CONFIG}readable: { keys: ["posters/**"] }\n`);
  await fenestraJson(home, 'publish', '--yes', '--sure', 'test-mill');
  expect((await fenestra(home, 'bucket', 'list')).out).not.toContain('nobody can read it');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  const listed = await fenestra(home, 'bucket', 'list');
  expect(listed.out).toContain(
    'test-mill is open, and nobody can read it: its policy covers 0 of 2 objects.',
  );
});
