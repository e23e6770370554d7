/** Moving out and in again: a release as files and as an archive, and from one store into another, byte for byte. */
import { execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { mkdirSync, readdirSync, readFileSync, symlinkSync, watch, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { buffer } from 'node:stream/consumers';
import { execa } from 'execa';
import { lookup } from 'mime-types';
import tar from 'tar-stream';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { ask } from './helpers/ask.js';
import { chance, SEED } from './helpers/chance.js';
import { cloudOf, type Cloud } from './helpers/cloud.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { describeWith } from './helpers/machine.js';
import { DEMO, fenestra, fenestraAlone, makeFolder, makeProject, PAGE, serve } from './helpers/program.js';

const DESTINATIONS = `destinations:
  one: { store: here, bucket: mill-one }
  two: { store: here, bucket: mill-two }
  three: { store: here, bucket: mill-three }
`;

const good = async (home: string, ...words: string[]): Promise<string> => {
  const { code, out, err } = await fenestra(home, ...words);
  expect([SEED, words, code, err]).toEqual([SEED, words, 0, '']);
  return out;
};

/** Every file of a folder with its bytes. */
const contents = (folder: string): Record<string, string> =>
  Object.fromEntries(
    readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map(({ parentPath, name }) => join(parentPath, name))
      .sort()
      .map((path) => [path.slice(folder.length + 1), readFileSync(path).toString('base64')]),
  );

/** A site with all that an object can have. */
function makeSite(random: () => number): { files: Record<string, string | Buffer>; config: string } {
  const FOLDERS = ['', 'visit/', 'café/', 'a/b/c/', 'news & more/'];
  const TEXTS = ['html', 'css', 'js', 'txt', 'svg'];
  const files: Record<string, string | Buffer> = { 'site/index.html': PAGE, 'site/not-found.html': PAGE };
  for (let n = 0; n < 25; n++) {
    const folder = FOLDERS[Math.floor(random() * FOLDERS.length)] ?? '';
    const isText = random() < 0.6;
    const ending = isText ? (TEXTS[Math.floor(random() * TEXTS.length)] ?? '') : 'bin';
    const size = random() < 0.1 ? 0 : Math.floor(random() ** 3 * 300_000);
    files[`site/${folder}${'x'.repeat(Math.floor(random() * 120))}${n}.${ending}`] = isText
      ? `/* ${n} */`.repeat(Math.ceil(size / 40))
      : Buffer.alloc(size, n);
  }
  const config = `site: site
${DESTINATIONS}documents: { index: index.html, error: not-found.html }
${random() < 0.5 ? 'versioned: "*.css"\n' : ''}${random() < 0.5 ? 'readable: { keys: ["**"], except: ["visit/**"] }\n' : ''}assign:
  - { to: "*.txt", encoding: gzip, language: en-GB }
  - { to: "visit/**", cache: 2 days, disposition: 'attachment; filename="Grüße.txt"' }
  - { to: "*.bin", cache: 1 hour }
`.replace('Grüße', 'greetings');
  return { files, config };
}

it(
  'gives back any release by a folder and by an archive, bytes, headers and who may read it',
  { timeout: 120_000 },
  async () => {
    const random = chance('moving out and in');
    for (let round = 0; round < 4; round++) {
      const { files, config } = makeSite(random);
      const home = makeProject(files, config);
      await good(home, 'publish', '--yes');
      await good(home, 'bucket', 'export', 'copy');
      await good(home, 'bucket', 'export', round % 2 === 0 ? 'copy.tar' : 'copy.tar.gz');
      const archive = round % 2 === 0 ? 'copy.tar' : 'copy.tar.gz';
      await good(home, 'bucket', 'import', 'copy', '--to', 'two', '--yes');
      await good(home, 'bucket', 'import', archive, '--to', 'three', '--yes');
      const was = contents(join(home, 'copy'));
      for (const to of ['two', 'three']) {
        await good(home, 'bucket', 'export', `${to}-copy`, '--to', to);
        expect([SEED, round, to, contents(join(home, `${to}-copy`))]).toEqual([SEED, round, to, was]);
        expect(await good(home, 'bucket', 'import', 'copy', '--to', to, '--yes')).toContain(
          'Nothing has changed',
        );
      }
      // As visitors meet it.
      for (const bucket of ['mill-one', 'mill-two'])
        await good(home, 'access', 'open', '--sure', bucket, '--to', bucket.slice(5));
      const server = await serve(home);
      for (const name of Object.keys(was).filter((key) => key !== 'headers.jsonl')) {
        const path = `/${name.split('/').map(encodeURIComponent).join('/')}`;
        const [a, b] = await Promise.all(
          ['mill-one', 'mill-two'].map((bucket) =>
            ask(server.port, path, { headers: { host: `${bucket}.localhost` } }),
          ),
        );
        const plain = (headers: Record<string, unknown> = {}): object => ({
          ...headers,
          date: '',
          'last-modified': '',
        });
        expect([SEED, path, b?.status, plain(b?.headers)]).toEqual([
          SEED,
          path,
          a?.status,
          plain(a?.headers),
        ]);
        // A refusal names the bucket.
        if (a?.status === 200) expect(b?.body.equals(a.body)).toBe(true);
      }
      await server.stop();
    }
  },
);

it('writes an archive that every tar reads, and streams it', { timeout: 60_000 }, async () => {
  const home = makeProject({}, `site: ${DEMO}/site\n${DESTINATIONS}`);
  await good(home, 'publish', '--yes');
  await good(home, 'bucket', 'export', 'copy');
  await good(home, 'bucket', 'export', 'copy.tar');
  mkdirSync(join(home, 'unpacked'));
  const run = (...words: string[]): string =>
    execFileSync('tar', words, { cwd: home, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });
  const listed = run('tvf', 'copy.tar').trim().split('\n');
  expect(listed).toHaveLength(Object.keys(contents(join(home, 'copy'))).length);
  run('xf', 'copy.tar', '-C', 'unpacked');
  expect(contents(join(home, 'unpacked'))).toEqual(contents(join(home, 'copy')));
  // What an ordinary tar makes of the folder is taken too.
  run('cf', 'again.tar', '-C', 'copy', '.');
  await good(home, 'bucket', 'import', 'again.tar', '--to', 'two', '--yes');
  await good(home, 'bucket', 'export', 'two', '--to', 'two');
  expect(contents(join(home, 'two'))).toEqual(contents(join(home, 'copy')));
  // Without its list, by the attributes alone.
  const pack = tar.pack();
  const extract = tar.extract();
  extract.end(readFileSync(join(home, 'copy.tar')));
  for await (const entry of extract) {
    const bytes = await buffer(entry);
    if (entry.header.name !== 'headers.jsonl') pack.entry(entry.header, bytes);
  }
  pack.finalize();
  writeFileSync(join(home, 'bare.tar'), await buffer(pack));
  await good(home, 'bucket', 'import', 'bare.tar', '--to', 'three', '--yes');
  await good(home, 'bucket', 'export', 'three', '--to', 'three');
  expect(contents(join(home, 'three'))).toEqual(contents(join(home, 'copy')));
  const { out } = await fenestraAlone(home, 'bucket', 'export', '-');
  expect(out).toContain('FENESTRA.header.Content-Type');
  // Compressed by somebody else, and sent on.
  const packed = execFileSync('gzip', ['-c', 'copy.tar'], { cwd: home });
  const sent = await execa(
    process.execPath,
    [resolve('dist/fenestra.js'), ...['bucket', 'import', '-', '--to', 'two', '--yes']],
    {
      cwd: home,
      input: packed,
    },
  );
  expect(sent.stdout).toContain('Nothing has changed');
  const twice = await fenestra(home, 'bucket', 'export', 'copy.tar');
  expect([twice.code, twice.err]).toEqual([4, expect.stringContaining('it is there already')]);
  const inside = makeProject({ 'site/index.html': PAGE }, `site: site\n${DESTINATIONS}`);
  await good(inside, 'publish', '--yes');
  expect((await fenestra(inside, 'bucket', 'export', 'site/copy.tar')).err).toContain(
    'lies in the site folder',
  );
});

it('lays a release out for a plain server, and names whatever that would answer otherwise', async () => {
  const random = chance('a plain server');
  for (let round = 0; round < 3; round++) {
    const { files, config } = makeSite(random);
    const home = makeProject(
      { ...files, 'site/odd.data': 'odd', 'site/page.txt': PAGE, 'site/no-ending': 'none' },
      `${config}  - { to: "page.txt", contentType: text/html }\nmoved: { permanently: { /old: /visit/ } }\n`,
    );
    await good(home, 'publish', '--yes');
    await good(home, 'access', 'open', '--sure', 'mill-one');
    const said = JSON.parse(await good(home, 'bucket', 'export', 'plain', '--format', 'site', '--json')) as {
      readonly differences: readonly { readonly what: string; readonly of: readonly string[] }[];
    };
    const named = (what: string): string[] =>
      said.differences
        .filter((each) => each.what === what)
        .flatMap(({ of }) => [...of])
        .sort();
    // Such a server, by another list of types than ours.
    const plain = contents(join(home, 'plain'));
    const server = await serve(home);
    const found: Record<string, string[]> = { type: [], charset: [], cache: [], encoding: [] };
    for (const [key, bytes] of Object.entries(plain)) {
      const path = `/${key.split('/').map(encodeURIComponent).join('/')}`;
      const coding = { headers: { host: 'mill-one.localhost', 'accept-encoding': 'gzip, br' } };
      const { status, headers, body } = await ask(server.port, path, coding);
      expect([SEED, key, status]).toEqual([SEED, key, 200]);
      const sent = headers['content-encoding'] === 'gzip' ? gunzipSync(body) : body;
      expect(sent.toString('base64')).toBe(bytes);
      const [type = '', charset] = (headers['content-type'] ?? '').split(/; */);
      if (type !== (lookup(key) || '')) found['type']?.push(key);
      else if (charset !== undefined) found['charset']?.push(key);
      if (headers['cache-control'] !== undefined) found['cache']?.push(key);
      if (headers['content-encoding'] !== undefined) found['encoding']?.push(key);
    }
    await server.stop();
    expect([SEED, named('another type'), named('no charset')]).toEqual([
      SEED,
      found['type'],
      found['charset'],
    ]);
    expect([SEED, named('no word on caching'), named('not compressed')]).toEqual([
      SEED,
      found['cache'],
      found['encoding'],
    ]);
    expect([named('no redirect'), named("the server's own page for mistakes")]).toEqual([
      ['/old'],
      ['not-found.html'],
    ]);
    const hidden = named('404, no refusal');
    expect(hidden.length + Object.keys(plain).length).toBe(
      Object.keys(contents(join(home, 'site'))).length +
        (config.includes('versioned')
          ? Object.keys(plain).filter((key) => /\.[0-9a-f]{8}\.css$/.test(key)).length +
            hidden.filter((key) => /\.[0-9a-f]{8}\.css$/.test(key)).length
          : 0),
    );
  }
}, 60_000);

const sum = (bytes: string): string => createHash('sha256').update(bytes).digest('hex');
const line = (more: object = {}): string =>
  `${JSON.stringify({ key: 'index.html', size: PAGE.length, digest: sum(PAGE), headers: { 'Content-Type': 'text/html' }, ...more })}\n`;
type Hostile = readonly [what: string, list: string, said: RegExp];
const LISTS: readonly Hostile[] = [
  ['nothing', '', /names no object/],
  ['no JSON', 'key: index.html\n', /line 1 of headers.jsonl is no JSON/],
  ['a list', '[]\n', /is no object/],
  ['a key above', line({ key: '../index.html' }), /"\.\.\/index.html" as a key/],
  ['a key at the root', line({ key: '/etc/passwd' }), /no path of a file/],
  ['a key with a NUL', line({ key: 'a\0b' }), /no path of a file/],
  ['a key twice', line() + line(), /it has "index.html" twice/],
  ['no size', line({ size: -1 }), /has no size/],
  ['another size', line({ size: 3 }), /index.html has/],
  ['another digest', line({ digest: sum('x') }), /index.html has other bytes/],
  ['a digest of another kind', line({ digest: 'abc' }), /no SHA-256/],
  [
    'a header in two lines',
    line({ headers: { 'Content-Type': 'text/html\r\nSet-Cookie: a=b' } }),
    /header Content-Type that is none/,
  ],
  [
    'a header of another kind',
    line({ headers: { 'Set-Cookie': 'a=b' } }),
    /"Set-Cookie", which nothing is published with/,
  ],
  [
    'a prototype',
    `{"key":"index.html","size":${PAGE.length},"digest":"${sum(PAGE)}","headers":{"__proto__":"x"}}\n`,
    /"__proto__", which nothing/,
  ],
  ['a file that is not there', line() + line({ key: 'visit/index.html' }), /visit\/index.html is not/],
  ['a line without an end', 'x'.repeat(300_000), /has no end|no JSON/],
];

const temporary = (): string[] => readdirSync(tmpdir()).filter((name) => name.startsWith('fenestra-import-'));

it.each(LISTS)('refuses a copy whose list has %s', async (_what, list, said) => {
  const home = makeProject(
    { 'copy/index.html': PAGE, 'copy/headers.jsonl': list },
    `site: site\n${DESTINATIONS}`,
  );
  const pack = tar.pack();
  pack.entry({ name: 'headers.jsonl' }, list);
  pack.entry({ name: 'index.html' }, PAGE);
  pack.finalize();
  writeFileSync(join(home, 'copy.tar'), await buffer(pack));
  const before = temporary();
  for (const from of ['copy', 'copy.tar']) {
    const { code, err } = await fenestra(home, 'bucket', 'import', from, '--yes');
    expect([from, code, err]).toEqual([from, 4, expect.stringMatching(said)]);
  }
  expect((await fenestra(home, 'bucket', 'list')).out).not.toContain('mill-one');
  expect(temporary()).toEqual(before);
});

it('writes nothing outside, whatever an archive or a folder has in it', async () => {
  const home = makeProject({ 'secret.txt': 'secret' }, `site: site\n${DESTINATIONS}`);
  const make = async (fill: (pack: tar.Pack) => void, cut = 0): Promise<void> => {
    const pack = tar.pack();
    fill(pack);
    pack.finalize();
    const bytes = await buffer(pack);
    writeFileSync(join(home, 'bad.tar'), bytes.subarray(0, bytes.length - cut));
  };
  const list = (pack: tar.Pack): void => void pack.entry({ name: 'headers.jsonl' }, line());
  const CASES: readonly (readonly [string, (pack: tar.Pack) => void, RegExp, number?])[] = [
    [
      'a name above',
      (pack) => (list(pack), pack.entry({ name: '../../index.html' }, PAGE)),
      /index.html is not in it/,
    ],
    [
      'a link',
      (pack) => pack.entry({ name: 'index.html', type: 'symlink', linkname: '/etc/passwd' }),
      /no file but a symlink/,
    ],
    [
      'a device',
      (pack) => pack.entry({ name: 'index.html', type: 'character-device' }),
      /no file but a character-device/,
    ],
    [
      'a name twice',
      (pack) => (pack.entry({ name: 'a' }, '1'), pack.entry({ name: './a' }, '2')),
      /it has ".?\/?a" twice/,
    ],
    [
      'its end cut off',
      (pack) => (list(pack), pack.entry({ name: 'index.html' }, PAGE.repeat(40))),
      /is no copy/,
      3000,
    ],
    [
      'attributes without an end',
      (pack) => pack.entry({ name: 'a', pax: { note: 'x'.repeat(9e6) } }, '1'),
      /exceeds max size/,
    ],
    ['no attributes', (pack) => pack.entry({ name: 'index.html' }, PAGE), /no SHA-256 as its digest/],
  ];
  const before = temporary();
  for (const [what, fill, said, cut] of CASES) {
    await make(fill, cut);
    const { code, err } = await fenestra(home, 'bucket', 'import', 'bad.tar', '--yes');
    expect([what, code, err]).toEqual([what, 4, expect.stringMatching(said)]);
  }
  writeFileSync(join(home, 'bad.tar'), Buffer.alloc(5000, 'no archive '));
  expect((await fenestra(home, 'bucket', 'import', 'bad.tar', '--yes')).code).toBe(4);
  // A file that leads out of the folder is none of it, even where its bytes are as the list says.
  const copy = makeFolder({ 'headers.jsonl': line({ key: 'index.html' }) });
  writeFileSync(join(home, 'page.html'), PAGE);
  symlinkSync(join(home, 'page.html'), join(copy, 'index.html'));
  expect((await fenestra(home, 'bucket', 'import', copy, '--yes')).err).toContain(
    'index.html is no file in it',
  );
  expect((await fenestra(home, 'bucket', 'import', 'nowhere', '--yes')).err).toContain('it is not there');
  expect(temporary()).toEqual(before);
  expect(readFileSync(join(home, 'secret.txt'), 'utf8')).toBe('secret');
});

it.each(['SIGINT', 'SIGTERM'] as const)(
  'leaves nothing among the temporary files where it is ended by %s',
  async (signal) => {
    const home = makeProject({}, `site: site\n${DESTINATIONS}`);
    const scratch = makeFolder();
    // It waits for an archive that never comes.
    const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'bucket', 'import', '-', '--yes'], {
      cwd: home,
      env: { ...process.env, TMPDIR: scratch },
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    const watcher = watch(scratch);
    const ended = once(child, 'exit');
    if (readdirSync(scratch).length === 0) await once(watcher, 'change');
    watcher.close();
    child.kill(signal);
    expect(await ended).toEqual([null, signal]);
    expect(readdirSync(scratch)).toEqual([]);
  },
);

it('publishes what another destination holds, and asks before anything private becomes public', async () => {
  const config = (readable: string): string => `site: site
destinations:
  one: { store: here, bucket: mill-one, readable: { keys: ["**"], except: ["notes/**"] } }
  two: { store: here, bucket: mill-two, readable: ${readable} }
`;
  const home = makeProject(
    { 'site/index.html': PAGE, 'site/notes/plan.txt': 'hush' },
    config('{ keys: ["**"], except: ["notes/**"] }'),
  );
  await good(home, 'publish', '--yes');
  writeFileSync(join(home, 'site/index.html'), 'an edit that nobody has published');
  await good(home, 'publish', '--from', 'one', '--to', 'two', '--yes');
  await good(home, 'bucket', 'export', 'one');
  await good(home, 'bucket', 'export', 'two', '--to', 'two');
  expect(contents(join(home, 'two'))).toEqual(contents(join(home, 'one')));
  await good(home, 'access', 'open', '--sure', 'mill-two', '--to', 'two');
  writeFileSync(join(home, 'fenestra.yaml'), config('{ keys: ["**"] }'));
  const widened = await fenestra(home, 'publish', '--from', 'one', '--to', 'two', '--yes');
  expect([widened.code, widened.err]).toEqual([4, expect.stringContaining('mill-two')]);
  expect((await fenestra(home, 'publish', '--from', 'one', '--watch')).code).toBe(2);
});

describeWith(['Swift'], 'a store elsewhere', () => {
  let cluster: Cluster;
  let cloud: Cloud;
  beforeAll(async () => {
    cluster = await joinCluster('moving');
    cloud = cloudOf(cluster);
  });
  afterAll(() => cluster.stop());

  it('gives back what it was sent from a folder, an archive and another store', async () => {
    const random = chance('moving between stores');
    const { files } = makeSite(random);
    const home = makeProject(
      files,
      cloud
        .config('moved-mill')
        .replace(
          'destinations: {',
          'destinations: { one: { store: here, bucket: mill-one }, back: { store: here, bucket: mill-back }, ',
        ),
    );
    const run = async (...words: string[]): Promise<void> => {
      const { code, err } = await cloud.run(home, ...words);
      expect([SEED, words, code, err]).toEqual([SEED, words, 0, '']);
    };
    await run('publish', '--to', 'one', '--yes');
    await run('bucket', 'export', 'one.tar', '--to', 'one');
    await run('bucket', 'import', 'one.tar', '--to', 'live', '--yes');
    await run('publish', '--from', 'live', '--to', 'back', '--yes');
    for (const name of ['one', 'live', 'back']) await run('bucket', 'export', name, '--to', name);
    for (const name of ['live', 'back'])
      expect([SEED, contents(join(home, name))]).toEqual([SEED, contents(join(home, 'one'))]);
  }, 120_000);
});
