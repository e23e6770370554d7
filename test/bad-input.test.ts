import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  readdirSync,
  rmSync,
  statSync,
  statfsSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { afterEach, describe, expect, it, test } from 'vitest';
import {
  CONFIG,
  fenestra,
  fenestraJson,
  makeFolder,
  makeProject,
  PAGE,
  serve,
  writeFiles,
  type Outcome,
} from './helpers/program.js';
import { ask } from './helpers/ask.js';
import { need } from './helpers/machine.js';

/** One short paragraph on stderr, nothing on stdout, no stack. */
function expectError(
  { code, out, err }: Outcome,
  exit: number,
  ...parts: readonly (string | RegExp)[]
): void {
  expect(code, err).toBe(exit);
  // With --json there is one document, of the error.
  if (out !== '') expect(JSON.parse(out)).toMatchObject({ error: { exit } });
  expect(err).toMatch(/^fenestra: /);
  expect(err).not.toMatch(/^\s+at /m);
  for (const part of parts) expect(err).toMatch(part);
}

describe('the command line', () => {
  test.each<[string[], RegExp]>([
    [['publsh'], /no command "publsh"[\s\S]*fenestra publish/],
    [['survey', '--findngs'], /`fenestra survey` takes no --findngs\. Did you mean --findings\?/],
    [['publish', '--dry-rn=yes', 'now'], /takes no --dry-rn=yes, now\. Did you mean --dry-run\?\n/],
    [['access', 'opn'], /The action cannot be "opn": it is one of show, open, close\. Did you mean open\?/],
    [['check', '--fail-on', 'fatal'], /--fail-on cannot be "fatal": it is one of error, warning, note\.\n/],
    [['access'], /`fenestra access` was given too little: it takes <action>/],
    [['publish', '--note'], /--note was given without a value/],
    [['serve', '--port', '99999'], /not a port/],
    [['serve', '--show', 'typ'], /Did you mean type/],
    [['check', '--at', 'ftp://x/'], /begins with ftp:/],
    [['check', '--at', 'nonsense'], /does not parse/],
    [['check', '--concurrency', '0'], /whole number/],
    [['survey', '--type', 'pictures'], /not a media range/],
    [['survey', '--rule', '9'], /none of the config's rules/],
    [['survey', '--explain', 'indx.html'], /there is index\.html/],
    [['publish', '--matching', 'drafts/'], /Did you mean 'drafts\/\*\*'/],
    [['publish', '--matching', 'visit', '--dry-run'], /no key of the site[^]*Did you mean 'visit\/\*\*'/],
    [['publish', '--watch', '--json'], /Leave one of them out/],
    [['publish', '--to', 'rehersal'], /Did you mean rehearsal/],
    [['history', 'first'], /named by its number, not by "first"/],
    [['restore', '1.5'], /named by its number, not by "1\.5"/],
    [['history', '\u001b[8m\u001b]0;mill\u0007'], /by "\\u001b\[8m\\u001b\]0;mill\\u0007"/],
  ])('%j', async (words, message) => {
    expectError(await fenestra(makeProject({ 'site/visit/index.html': PAGE }), ...words), 2, message);
  });
  test.each([
    '',
    'null',
    '{"changeList":2}',
    '{"changeList":1,"code":"x","store":"here","access":"open","bucket":"test-mill","base":0,"changes":[null],"settings":[]}',
    '{"changeList":1,"code":"x","store":"here","access":"open","bucket":["test-mill"],"base":"0","changes":[],"settings":[]}',
  ])('a file that is no change list: %j', async (list) => {
    const home = makeProject({ 'list.json': list });
    expectError(
      await fenestra(home, 'publish', '--agreed', 'list.json'),
      2,
      /list\.json is not a change list/,
    );
  });
  it('never asks without a terminal, and names the option that answers', async () => {
    const { code, err } = await fenestra(makeProject(), 'publish');
    expect([code, err]).toEqual([4, expect.stringMatching(/Publish to test-mill[\s\S]*--yes/)]);
  });
});

describe('the site folder', () => {
  it('missing, a file, empty', async () => {
    expectError(
      await fenestra(makeFolder({ 'fenestra.yaml': CONFIG }), 'survey'),
      2,
      /site folder .*site does not exist/,
    );
    expectError(
      await fenestra(makeFolder({ 'fenestra.yaml': CONFIG, site: 'x' }), 'survey'),
      2,
      /is a file, not a folder/,
    );
    expectError(
      await fenestra(makeFolder({ 'fenestra.yaml': CONFIG, 'site/.hidden': 'x' }), 'publish', '--yes'),
      2,
      /no file to publish \(1 dot files/,
    );
    expectError(
      await fenestra(makeFolder(), 'survey'),
      2,
      /There is no config fenestra\.yaml[\s\S]*fenestra init/,
    );
  });
  it('keys that are too long, that meet, or that no address can carry, all at once', async () => {
    const home = makeProject({
      'site/u\u0308ber.txt': 'a',
      'site/\u00fcber.txt': 'b',
      'site/tab\there.txt': 'c',
    });
    const deep = Array.from({ length: 10 }, () => 'd'.repeat(200)).join('/');
    writeFiles(home, { [`site/${deep}/x.txt`]: 'x' });
    const outcome = await fenestra(home, 'publish', '--yes');
    expectError(
      outcome,
      2,
      /become one key, "über\.txt"/,
      /control character/,
      /makes a key of 2015 bytes; a store takes 1024/,
    );
    expect(existsSync(join(home, '.fenestra', 'store', 'rows.lmdb'))).toBe(false);
  });
  it('a link that leaves the site is left out with a finding; one inside is followed; a loop ends', async () => {
    const outside = makeFolder({ 'secret.txt': 'outside' });
    const home = makeProject({ 'site/real/a.txt': 'a' });
    symlinkSync(join(outside, 'secret.txt'), join(home, 'site/out.txt'));
    symlinkSync('real', join(home, 'site/alias'));
    symlinkSync('..', join(home, 'site/real/up'));
    symlinkSync('nowhere', join(home, 'site/broken'));
    const survey = await fenestraJson<{
      objects: { key: string }[];
      findings: { rule: string; key: string }[];
    }>(home, 'survey');
    expect(survey.objects.map(({ key }) => key)).toEqual([
      'alias/a.txt',
      'index.html',
      'not-found.html',
      'real/a.txt',
    ]);
    expect(survey.findings.filter(({ rule }) => rule === 'link-left-out').map(({ key }) => key)).toEqual(
      expect.arrayContaining(['broken', 'out.txt', 'real/up']),
    );
    writeFiles(home, { 'fenestra.yaml': `${CONFIG}links: follow\n` });
    expect(
      (await fenestraJson<{ objects: { key: string }[] }>(home, 'survey')).objects.map(({ key }) => key),
    ).toContain('out.txt');
  });
  it('a file that cannot be read', async (context) => {
    need(context, 'another user');
    const home = makeProject({ 'site/closed.txt': 'x' });
    execFileSync('chmod', ['-R', 'a+rwX', home]);
    chmodSync(join(home, 'site/closed.txt'), 0o000);
    const run = execFileSync(
      'sh',
      [
        '-c',
        `setpriv --reuid=65534 --regid=65534 --clear-groups ${process.execPath} ${join(process.cwd(), 'dist/fenestra.js')} survey 2>&1; echo "exit $?"`,
      ],
      { cwd: home, encoding: 'utf8' },
    );
    expect(run).toMatch(/closed\.txt cannot be read: permission is missing[\s\S]*exit 2/);
  });
});

describe('the store', () => {
  const mounts: string[] = [];
  afterEach(() => {
    for (const mount of mounts.splice(0)) execFileSync('umount', ['-l', mount]);
  });

  it('on a full disk keeps the release it had, and goes on where it stopped', async (context) => {
    need(context, 'a disk of its own');
    const home = makeProject({}, `${CONFIG}storeFolder: disk/store\n`);
    mkdirSync(join(home, 'disk'));
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=3m', 'tmpfs', join(home, 'disk')]);
    mounts.push(join(home, 'disk'));
    await fenestraJson(home, 'publish', '--yes');
    const free = (): number => {
      const { bavail, bsize } = statfsSync(join(home, 'disk'));
      return bavail * bsize;
    };
    const before = free();
    const noise = (seed: number, size: number): Buffer =>
      Buffer.from(Array.from({ length: size }, (_, at) => (at * 2654435761 * (seed + 1)) >>> 13));
    for (let n = 0; n < 30; n++) writeFiles(home, { [`site/f${n}.bin`]: noise(n, 200_000) });
    expectError(
      { ...(await fenestra(home, 'publish', '--yes')), out: '' },
      3,
      /disk under .* is full; the bucket still has its previous release/,
    );
    // What it had copied is gone again, but for what the database keeps for itself.
    expect(before - free()).toBeLessThan(400_000);
    expect((await fenestra(home, 'access', 'show')).out).toContain('test-mill, release 1');
    execFileSync('mount', ['-o', 'remount,size=64m', join(home, 'disk')]);
    expect(await fenestraJson(home, 'publish', '--yes')).toMatchObject({ release: 2, totals: { add: 30 } });
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    expect(await fenestraJson(home, 'check')).toMatchObject({ failures: [] });
  });

  it('on a disk too full to sweep has published all the same, and removes what it can', async (context) => {
    need(context, 'a disk of its own');
    const files = (from: number, text: string): Record<string, Buffer> =>
      Object.fromEntries(
        Array.from({ length: 20 - from }, (_, n) => [
          `site/f${n}.txt`,
          Buffer.alloc(50_000, `${text} ${n} `),
        ]),
      );
    const config = CONFIG.replace(
      /rehearsal: .*/,
      'one: { store: here, bucket: mill-one }\n  two: { store: here, bucket: mill-two }',
    );
    const home = makeProject(files(0, 'first'), `${config}historyDepth: 1\nstoreFolder: disk/store\n`);
    mkdirSync(join(home, 'disk'));
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=16m', 'tmpfs', join(home, 'disk')]);
    mounts.push(join(home, 'disk'));
    for (const to of ['one', 'two']) await fenestraJson(home, 'publish', '--to', to, '--yes');
    writeFiles(home, files(8, 'second'));
    await fenestraJson(home, 'publish', '--to', 'one', '--yes');
    // Room for the rows, and none for a pack that is written anew.
    const { bavail, bsize } = statfsSync(join(home, 'disk'));
    writeFileSync(join(home, 'disk/filler'), Buffer.alloc(bavail * bsize - 150_000));
    const removed = await fenestra(
      home,
      'bucket',
      'remove',
      'mill-two',
      '--with-contents',
      '--sure',
      'mill-two',
    );
    expect([removed.code, removed.err]).toEqual([0, '']);
    // The pack that both shared could not be written anew.
    const packs = join(home, 'disk/store/packs');
    expect(readdirSync(packs).some((name) => statSync(join(packs, name)).size > 1_000_000)).toBe(true);
    expect((await fenestra(home, 'bucket', 'show', 'mill-one', '--verify')).out).toContain('Whole');
    for (let n = 0; n < 7; n++) rmSync(join(home, `site/f${n}.txt`));
    const published = await fenestra(home, 'publish', '--to', 'one', '--yes');
    expect([published.code, published.err]).toEqual([
      0,
      expect.stringMatching(
        /^Release 3 is published; what only older ones needed is still there\. The disk is full\.$/,
      ),
    ]);
    rmSync(join(home, 'disk/filler'));
    expect((await fenestra(home, 'bucket', 'show', 'mill-one', '--verify')).out).toContain('Whole');
  });

  it("that is somebody else's folder is left alone", async () => {
    const home = makeProject({ 'other/file.txt': 'mine' }, `${CONFIG}storeFolder: other\n`);
    expectError(
      await fenestra(home, 'publish', '--yes'),
      3,
      /not a Fenestra store: the folder holds other files/,
    );
    expect(readdirSync(join(home, 'other'))).toEqual(['file.txt']);
  });

  test.each<[string, (path: string) => void, RegExp]>([
    ['cut short', (path) => truncateSync(path, 5000), /rows\.lmdb/],
    ['cut at a page', (path) => truncateSync(path, 8192), /where \d+ are in use/],
    [
      'overwritten',
      (path) => writeFileSync(path, Buffer.alloc(65_536, 7)),
      /does not begin as a database does/,
    ],
  ])('whose database is %s is named, and nothing crashes', async (_how, harm, message) => {
    const home = makeProject();
    await fenestraJson(home, 'publish', '--yes');
    harm(join(home, '.fenestra/store/rows.lmdb'));
    expectError(await fenestra(home, 'check'), 3, /The store is damaged/, message, /publish again/);
  });

  it('with a damaged body never sends a wrong one', async () => {
    const home = makeProject({ 'site/large.bin': Buffer.alloc(400_000, 1) });
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    const packs = join(home, '.fenestra/store/packs');
    for (const pack of readdirSync(packs)) writeFileSync(join(packs, pack), Buffer.alloc(5000, 66));
    rmSync(join(home, '.fenestra/store/large'), { recursive: true });
    const server = await serve(home);
    try {
      for (const path of ['/', '/large.bin']) {
        const answer = await ask(server.port, path);
        expect([answer.status, answer.body.toString()]).toEqual([
          500,
          expect.stringMatching(/The stored bytes of this object are damaged/),
        ]);
      }
    } finally {
      await server.stop();
    }
    const { code, err } = await fenestra(home, 'check');
    expect([code, err]).toEqual([3, expect.stringMatching(/differ from the published ones/)]);
  });
});

describe('the network', () => {
  it('a port in use', async () => {
    const blocker = createServer().listen(0, '127.0.0.1');
    await new Promise((done) => blocker.once('listening', done));
    const { port } = blocker.address() as { port: number };
    expectError(
      await fenestra(makeProject(), 'serve', '--port', String(port)),
      3,
      new RegExp(`Port ${port} on 127.0.0.1 is in use`),
    );
    blocker.close();
  });
  it('an endpoint that is dead, or is another server', async () => {
    const home = makeProject();
    expectError(await fenestra(home, 'check'), 3, /no bucket called test-mill/);
    await fenestraJson(home, 'publish', '--yes');
    const began = Date.now();
    expectError(
      await fenestra(home, 'check', '--at', 'http://127.0.0.1:9/'),
      3,
      /does not answer: nothing listens there/,
    );
    expectError(await fenestra(home, 'check', '--at', 'http://no-such-host.invalid/'), 3, /does not answer/);
    expect(Date.now() - began).toBeLessThan(20_000);
  });
});

it('a bucket name says why it cannot be one', async () => {
  for (const [name, reason] of [
    ['Mill', /without case/],
    ['my_mill', /underscore/],
    ['a.b.c', /two labels/],
    ['x-mill-', /hyphen/],
    ['ab', /3 to 63/],
  ] as const) {
    expectError(
      await fenestra(makeFolder({ 'site/index.html': PAGE }), 'init', '--bucket', name),
      2,
      reason,
      /Choose a name such as/,
    );
  }
});

it('a folder where none can be made is said to be one, by whichever command', async () => {
  const home = makeProject();
  await fenestra(home, 'publish', '--yes');
  for (const [words, said] of [
    [['bucket', 'export', '/proc/none/copy'], /none\/copy could not be written/],
    [['publish', '--yes', '--config', 'elsewhere.yaml'], /\/proc\/none cannot be used/],
  ] as const) {
    writeFiles(home, { 'elsewhere.yaml': `${CONFIG}storeFolder: /proc/none/store\n` });
    const { code, err } = await fenestra(home, ...words);
    expect([words, code, err]).toEqual([words, 3, expect.stringMatching(said)]);
  }
});
