/** What people look for when they come from elsewhere, and what each output has to hold for them. */
import { execFileSync } from 'node:child_process';
import { createServer, type Server } from 'node:http';
import { mkdirSync, renameSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { join, resolve } from 'node:path';
import { describe, expect, it } from 'vitest';
import {
  CONFIG,
  fenestra,
  fenestraJson,
  makeFolder,
  makeProject,
  PAGE,
  serve,
  writeFiles,
} from './helpers/program.js';

const published = async (files: Record<string, string | Buffer> = {}): Promise<string> => {
  const home = makeProject(files);
  await fenestraJson(home, 'publish', '--yes');
  return home;
};

describe('build servers', () => {
  it('check the folder as it would be published, without a store', async () => {
    const home = makeProject({ 'site/film.bin': Buffer.alloc(600_000, 'film'), 'site/a.txt': 'a' });
    expect(await fenestraJson(home, 'check', '--unpublished')).toMatchObject({
      unpublished: true,
      passed: true,
      failures: [],
      selfTest: true,
    });
    expect((await fenestra(home, 'bucket', 'list')).out).toContain('There is no bucket yet');
    writeFiles(home, { 'site/index.html': PAGE.replace('</h1>', '</h1><img src="/gone.png">') });
    const { code, out } = await fenestra(home, 'check', '--unpublished');
    expect([code, out]).toEqual([
      1,
      expect.stringMatching(/site folder, as it would be published[^]*gone\.png/),
    ]);
  });

  it('end with 1 where a finding or a change counts', async () => {
    const home = await published();
    expect((await fenestra(home, 'publish', '-n', '--exit-code')).code).toBe(0);
    writeFiles(home, { 'site/server.pem': 'x' });
    expect((await fenestra(home, 'publish', '-n', '--exit-code')).code).toBe(1);
    expect((await fenestra(home, 'survey')).code).toBe(0);
    expect((await fenestra(home, 'survey', '--fail-on', 'error')).code).toBe(1);
  });

  it('read one document, of a failure too', async () => {
    const home = await published({ 'site/posters/owl.html': PAGE });
    const { code, out } = await fenestra(home, 'restore', '9', '--json');
    expect([code, JSON.parse(out)]).toEqual([
      2,
      {
        error: {
          code: 'RELEASE_UNKNOWN',
          message: 'Bucket test-mill has no release 9; it has only 1.',
          fix: 'Run `fenestra history` to see the releases.',
          exit: 2,
        },
      },
    ]);
    writeFiles(home, { 'site/new.txt': 'new' });
    expect(await fenestraJson(home, 'publish', '--dry-run')).toMatchObject({ dryRun: true, release: null });
    expect(Object.keys(await fenestraJson(home, 'survey', '--findings'))).toEqual(['site', 'findings']);
    expect(await fenestraJson(home, 'bucket', 'show', '--tree')).toMatchObject({
      tree: { objects: 3, folders: [{ name: 'posters', objects: 1, files: [{ name: 'owl.html' }] }] },
    });
  });

  it('are told when what is printed goes nowhere', async () => {
    const home = await published();
    const program = `${process.execPath} ${resolve('dist/fenestra.js')} survey`;
    const said = (command: string): string =>
      execFileSync('bash', ['-c', `(${command}) 2>&1; echo "exit \${PIPESTATUS[0]}"`], {
        cwd: home,
        encoding: 'utf8',
      });
    expect(said(`${program} 2>&1 >/dev/full; echo $?`)).toMatch(
      /cannot be written: the disk is full[^]*\n3\n/,
    );
  });
});

describe('a project', () => {
  it('is found from any folder below it, by its folder too', async () => {
    const home = await published();
    mkdirSync(join(home, 'deep/er'), { recursive: true });
    expect((await fenestra(join(home, 'deep/er'), 'access', 'show')).out).toContain('test-mill, release 1');
    expect((await fenestra(makeFolder(), 'access', 'show', '--config', home)).out).toContain('test-mill');
    expect((await fenestra(makeFolder(), 'access', 'show')).err).toContain('here or in a folder above');
  });

  it('is not begun where pages lie that may be meant', async () => {
    const home = makeFolder({ 'tutorial/index.html': PAGE });
    const asked = await fenestra(home, 'init');
    expect([asked.code, asked.err]).toEqual([
      4,
      expect.stringMatching(/tutorial\/[^]*fenestra init tutorial/),
    ]);
    expect((await fenestra(home, 'init', 'nonexist')).code).toBe(2);
    expect((await fenestra(home, 'init', 'tutorial')).out).toContain('Adopted tutorial with 1 file.');
    const another = makeFolder({ 'tutorial/index.html': PAGE });
    expect((await fenestra(another, 'init', '--anew')).out).toContain('Started a small site in site');
  });
});

describe('before something is published', () => {
  it('it is said what visitors will go on holding, and what is taken back', async () => {
    const home = makeProject(
      { 'site/owl.jpg': 'jpg', 'site/gone.jpg': 'jpg' },
      `${CONFIG}otherwise: 2 hours\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    writeFiles(home, { 'site/owl.jpg': 'another' });
    const seen = (await fenestra(home, 'publish', '--dry-run')).out;
    expect(seen).toMatch(/Visitors may go on holding .* 1 object, such as owl\.jpg until .* UTC; .*new name/);
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'restore', '1', '--yes');
    expect((await fenestra(home, 'publish', '--dry-run')).out).toContain(
      'This takes back release 3, which went back to the state of release 1.',
    );
  });
});

it('a file that is there compressed alone is to be decompressed, not renamed', async () => {
  const home = await published({
    'site/changelog.html.gz': 'x',
    'site/index.html': PAGE.replace('</h1>', '</h1><a href="/changelog.html">All changes</a>'),
  });
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  expect((await fenestra(home, 'check')).out).toMatch(
    /decompress it to changelog\.html; a rule with `encoding: gzip`/,
  );
  expect((await fenestra(home, 'trace', '/changelog.html')).out).toContain('decompress it to changelog.html');
});

it('a page that was renamed is moved for those who come by its old address', async () => {
  const home = await published({ 'site/owl.html': `${PAGE}<!-- owl -->` });
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  renameSync(join(home, 'site/owl.html'), join(home, 'site/barn-owl.html'));
  await fenestraJson(home, 'publish', '--yes');
  expect((await fenestra(home, 'trace', '/owl.html')).out).toContain(
    'it was renamed to barn-owl.html in release 2: add moved: { permanently: { /owl.html: /barn-owl.html } }',
  );
});

it('trace --at ends with 1 where the endpoint sends something else, whatever else it sends', async () => {
  const home = await published();
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  const server: Server = createServer((_request, response) => {
    response.writeHead(200, { server: 'mill', 'content-type': 'text/plain' }).end('other');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  const { code, out } = await fenestra(home, 'trace', '/', '--at', at);
  server.close();
  expect([code, out]).toEqual([1, expect.stringMatching(/✗ {2}Content-Type[^]* {4}server/)]);
});

it('check --at on the page that lists the buckets names the one that is meant', async () => {
  const home = await published();
  await fenestraJson(home, 'bucket', 'create', 'another-mill');
  const server = await serve(home, '--quiet');
  const { code, err } = await fenestra(home, 'check', '--at', `http://127.0.0.1:${server.port}/`);
  await server.stop();
  expect([code, err]).toEqual([2, expect.stringContaining(`http://test-mill.localhost:${server.port}/`)]);
});

it('keys are whole where no terminal is, however long', async () => {
  const key = `deep/${'folder-of-many-words/'.repeat(6)}a-page-with-a-long-name.html`;
  const home = await published({ [`site/${key}`]: PAGE });
  const { stdout } = await import('execa').then(({ execa }) =>
    execa(process.execPath, [resolve('dist/fenestra.js'), 'survey'], { cwd: home, env: { COLUMNS: '' } }),
  );
  expect(stdout).toContain(key);
});
