import { createHash, hash } from 'node:crypto';
import { spawn, spawnSync } from 'node:child_process';
import {
  cpSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  utimesSync,
} from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { describe, expect, it, test } from 'vitest';
import { EmbeddedStore } from '../src/stores/embedded/embedded-store.js';
import { sweepBodies } from '../src/stores/embedded/sweep.js';
import type { StoredObject } from '../src/core/site/site-object.js';
import { ask } from './helpers/ask.js';
import { chance, LONGER, SEED } from './helpers/chance.js';
import {
  CONFIG,
  ERROR_PAGE,
  fenestra,
  fenestraJson,
  makeProject,
  PAGE,
  serve,
  writeFiles,
} from './helpers/program.js';

interface PublishJson {
  readonly release: number | null;
  readonly changes: readonly { readonly key: string; readonly change: string }[];
  readonly settings: readonly { readonly name: string; readonly becomes: unknown }[];
  readonly totals: Readonly<Record<string, number>>;
}

const store = (home: string): string => join(home, '.fenestra/store');

/** Reads a store as it lies on disk, every body verified. */
async function readStore(
  home: string,
): Promise<{ release: number; objects: StoredObject[]; damaged: string[] }> {
  const opened = EmbeddedStore.open(store(home));
  try {
    const state = await opened.bucket('test-mill');
    const snapshot = state && (await opened.open('test-mill'));
    const objects: StoredObject[] = [];
    for await (const object of snapshot?.objects() ?? []) objects.push(object);
    const damaged: string[] = [];
    for (const object of objects) {
      const digest = createHash('sha256');
      for await (const piece of snapshot?.read(object) ?? []) digest.update(piece);
      if (digest.digest('hex') !== object.digest) damaged.push(object.key);
    }
    await snapshot?.close();
    expect([objects.length, objects.reduce((sum, { size }) => sum + size, 0)]).toEqual([
      state?.objects ?? 0,
      state?.bytes ?? 0,
    ]);
    return { release: state?.release ?? 0, objects, damaged };
  } finally {
    await opened.close();
  }
}

describe(`a publish that is killed (FENESTRA_SEED=${SEED})`, () => {
  const FILES = 2500;
  const body = (key: string, version: number): string =>
    `${key} version ${version} `.repeat(key.startsWith('big') ? 20_000 : 20);
  const keys = [
    ...Array.from({ length: FILES }, (_, n) => `d${n % 40}/f${n}.txt`),
    ...Array.from({ length: 12 }, (_, n) => `big${n}.txt`),
  ];
  const write = (home: string, version: number): void =>
    writeFiles(home, Object.fromEntries(keys.map((key) => [`site/${key}`, body(key, version)])));

  it('leaves the old release or the new one, whole, at random moments, and the next publish succeeds', async () => {
    const home = makeProject();
    write(home, 0);
    let began = Date.now();
    await fenestraJson(home, 'publish', '--yes');
    let whole = Date.now() - began;
    let expected = 1;
    let killed = 0;
    const moment = chance('killed');
    const rounds = 12 * Math.min(LONGER, 16);
    for (let round = 1; round <= rounds; round++) {
      // Each round changes some of the files, so that there is always something to lose.
      const version = round;
      const touched = keys.filter((_, n) => (n + round) % 25 === 0 || n >= FILES);
      writeFiles(home, Object.fromEntries(touched.map((key) => [`site/${key}`, body(key, version)])));
      began = Date.now();
      const child = spawn(
        process.execPath,
        [resolve('dist/fenestra.js'), 'publish', '--yes', '--sure', 'test-mill'],
        { cwd: home, stdio: 'ignore' },
      );
      const ended = new Promise<number | null>((done) => child.once('exit', (code) => done(code)));
      const timer = setTimeout(() => child.kill('SIGKILL'), moment() * whole * 0.9);
      const code = await ended;
      clearTimeout(timer);
      if (code === null) killed++;
      else whole = Date.now() - began;
      const { release, objects, damaged } = await readStore(home);
      expect(damaged).toEqual([]);
      expect([expected, expected + 1]).toContain(release);
      expect(objects).toHaveLength(keys.length + 2);
      if (release === expected + 1) {
        const digests = new Map(objects.map(({ key, digest }) => [key, digest]));
        for (const key of touched) expect(digests.get(key)).toBe(hash('sha256', body(key, version), 'hex'));
      }
      expected = release;
    }
    expect(killed).toBeGreaterThan(rounds / 5);
    await fenestra(home, 'publish', '--yes');
    expect((await fenestra(home, 'publish', '--yes')).out).toContain('Nothing has changed');
    expect((await fenestra(home, 'bucket', 'show', '--verify')).out).toContain('Whole');
  }, 900_000);
});

describe('several publishers at once', () => {
  test.each([2, 8])('%i: one wins, the others are told who and when, and nothing is lost', async (count) => {
    const home = makeProject({ 'site/a.txt': 'a' });
    await fenestraJson(home, 'publish', '--yes');
    const outcomes = await Promise.all(
      Array.from({ length: count }, async (_, n) => {
        const other = makeProject(
          { [`site/from-${n}.txt`]: `${n}`.repeat(1000), 'site/a.txt': 'a' },
          `${CONFIG}storeFolder: ${store(home)}\n`,
        );
        return fenestra(other, 'publish', '--yes', '--note', `publisher ${n}`);
      }),
    );
    const { objects, damaged, release } = await readStore(home);
    const won = outcomes.filter(({ code }) => code === 0).length;
    expect([won >= 1, release, damaged]).toEqual([true, 1 + won, []]);
    for (const { code, err } of outcomes.filter((outcome) => outcome.code !== 0)) {
      expect([code, err]).toEqual([
        4,
        expect.stringMatching(
          /Somebody else published to test-mill in the meantime: it was at release \d+ and is now at \d+, by \S+@\S+ at \d{4}-\d{2}-\d{2} /,
        ),
      ]);
    }
    expect(objects.filter(({ key }) => key.startsWith('from-'))).toHaveLength(1);
  });
});

describe('buckets that come and go in one store', () => {
  const files = Object.fromEntries(
    Array.from({ length: 1500 }, (_, n) => [`site/d${n % 20}/f${n}.txt`, `milling ${n} `.repeat(30)]),
  );
  const both = 'one: { store: here, bucket: mill-one }\n  two: { store: here, bucket: mill-two }';
  const config = CONFIG.replace(/rehearsal: .*/, both);

  it('lose nothing to each other, and nothing that is whole is called damaged', async () => {
    const home = makeProject(files, config);
    const moment = chance('beside');
    for (let round = 0; round < 6; round++) {
      await fenestra(home, 'publish', '--to', 'one', '--yes');
      // The same bytes are needed by one bucket from the moment on in which the other lets go of them.
      const removed = fenestra(home, 'bucket', 'remove', 'mill-one', '--with-contents', '--sure', 'mill-one');
      await wait(moment() * 250);
      const published = await fenestra(home, 'publish', '--to', 'two', '--yes');
      expect([(await removed).err, published.err]).toEqual(['', '']);
      const shown = await fenestra(home, 'bucket', 'show', 'mill-two', '--verify');
      expect([shown.err, shown.out]).toEqual(['', expect.stringContaining('Whole')]);
      await fenestra(home, 'bucket', 'remove', 'mill-two', '--with-contents', '--sure', 'mill-two');
    }
  });

  it('are made by whoever is first, and the others are told who that was', async () => {
    const home = makeProject(files, config);
    const outcomes = await Promise.all(Array.from({ length: 6 }, () => fenestra(home, 'publish', '--yes')));
    expect(outcomes.filter(({ code }) => code === 0).length).toBeGreaterThan(0);
    for (const { code, err } of outcomes.filter((outcome) => outcome.code !== 0))
      expect([code, err]).toEqual([
        4,
        expect.stringContaining('Somebody else published to mill-one in the meantime'),
      ]);
  });
});

it('a publish with nothing to do still sees what others did to the bucket meanwhile', async () => {
  const home = makeProject({ 'site/a.txt': 'a', 'site/b.txt': 'b' });
  const publish = async (...more: string[]): Promise<PublishJson> =>
    fenestraJson<PublishJson>(home, 'publish', '--yes', ...more);
  const same = { changes: [], settings: [], totals: { keep: 4 } };
  await publish();
  // Twice: the second time the store need not be opened.
  for (const more of [[], [], ['--dry-run']])
    expect(await publish(...more)).toMatchObject({ release: 1, ...same });
  await fenestra(home, 'bucket', 'empty', '--matching', 'a.txt', '--sure', 'test-mill');
  expect((await publish()).changes).toMatchObject([{ key: 'a.txt', change: 'add' }]);
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  expect(await publish()).toMatchObject({ release: 3, ...same });
  await fenestra(home, 'restore', '2', '--yes');
  expect((await publish()).changes).toMatchObject([{ key: 'a.txt', change: 'add' }]);
  expect(await publish()).toMatchObject({ release: 5, ...same });
  writeFiles(home, { 'fenestra.yaml': CONFIG.replace('error: not-found.html', 'error: a.txt') });
  expect((await publish()).settings).toMatchObject([{ name: 'documents.error', becomes: 'a.txt' }]);
  await fenestra(home, 'bucket', 'remove', '--with-contents', '--sure', 'test-mill');
  expect(await publish()).toMatchObject({ release: 1, totals: { add: 4 } });
});

describe('history and restore', () => {
  it('lists releases, shows what each changed, and publishes an earlier state again', async () => {
    const home = makeProject(
      { 'site/a.txt': 'one', 'site/b.txt': 'b' },
      `${CONFIG}readable: { keys: ["**"], except: ["b.txt"] }\n`,
    );
    await fenestraJson(home, 'publish', '--yes', '--note', 'First');
    writeFiles(home, {
      'site/a.txt': 'two',
      'site/c.txt': 'c',
      'fenestra.yaml': `${CONFIG.replace('error: not-found.html', 'error: a.txt')}readable: { keys: ["**"], except: ["b.txt", "c.txt"] }\n`,
    });
    rmSync(join(home, 'site/b.txt'));
    await fenestraJson(home, 'publish', '--yes', '--sure', 'test-mill', '--note', 'Second');
    await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
    const history = await fenestraJson<{ releases: { release: number; note: string; by: string }[] }>(
      home,
      'history',
    );
    expect(history.releases.map(({ release, note }) => `${release} ${note}`)).toEqual([
      '2 Second',
      '1 First',
    ]);
    const second = await fenestraJson<{
      changes: { key: string; change: string }[];
      settings: { name: string }[];
    }>(home, 'history', '2');
    expect([
      second.changes.map(({ key, change }) => `${change} ${key}`),
      second.settings.map(({ name }) => name),
    ]).toEqual([
      ['replace a.txt', 'remove b.txt', 'add c.txt'],
      ['documents.error', 'readable.except'],
    ]);

    expect((await fenestra(home, 'restore', '1')).code).toBe(4);
    expect(await fenestra(home, 'restore', '7', '--yes')).toMatchObject({
      code: 2,
      err: expect.stringContaining('it has 1 to 2') as string,
    });
    const restored = await fenestraJson<{
      release: number;
      changes: { key: string }[];
      settings: { name: string }[];
    }>(home, 'restore', '1', '--yes');
    expect([
      restored.release,
      restored.changes.map(({ key }) => key),
      restored.settings.map(({ name }) => name),
    ]).toEqual([3, ['a.txt', 'b.txt', 'c.txt'], ['documents.error']]);
    const server = await serve(home);
    expect((await ask(server.port, '/a.txt')).body.toString()).toBe('one');
    // The policy is today's: going back opens nothing.
    expect((await ask(server.port, '/b.txt')).status).toBe(403);
    await server.stop();
    expect((await fenestra(home, 'restore', '3', '--yes')).out).toContain('Nothing would change');
    expect((await fenestra(home, 'history')).out).toContain('release 1 again');
  });

  it('keeps as many releases as it is told, and sweeps what none of them needs', async () => {
    const large = (version: number): string => `${version}`.repeat(400_000);
    const home = makeProject({ 'site/large.txt': large(0) }, `${CONFIG}historyDepth: 2\n`);
    for (let version = 0; version < 5; version++) {
      writeFiles(home, {
        'site/large.txt': large(version),
        'site/small.txt': `small ${version} `.repeat(2000),
      });
      await fenestraJson(home, 'publish', '--yes');
    }
    expect(
      (await fenestraJson<{ releases: { release: number }[] }>(home, 'history')).releases.map(
        ({ release }) => release,
      ),
    ).toEqual([5, 4]);
    const files = (): string[] =>
      readdirSync(join(store(home), 'large'), { recursive: true, encoding: 'utf8' }).filter(
        (name) => name.length > 60,
      );
    const opened = EmbeddedStore.open(store(home));
    // What publishers leave behind when they are killed between two steps.
    const orphan = hash('sha256', 'nobody tells of this one', 'hex');
    writeFiles(store(home), {
      [`large/${orphan}.12345.new`]: 'half',
      [`large/${orphan.slice(0, 2)}/${orphan}`]: 'whole',
    });
    const before = files().length;
    // Somebody in another container publishes: whether it is still there cannot be seen from here.
    const note = { pid: 1, at: Date.now(), host: 'elsewhere' };
    opened.rows.publishing.put('elsewhere', note);
    sweepBodies(opened.layout, opened.rows, Date.now() + 120_000);
    expect(files()).toHaveLength(before);
    opened.rows.publishing.put('elsewhere', { ...note, at: note.at - 7_200_000 });
    sweepBodies(opened.layout, opened.rows, Date.now());
    expect(files()).toHaveLength(before);
    // After the grace time only what the two kept releases need is left.
    sweepBodies(opened.layout, opened.rows, Date.now() + 120_000);
    expect(files()).toHaveLength(2);
    await opened.close();
    expect((await fenestra(home, 'bucket', 'show', '--verify')).out).toContain('Whole');
    const restored = await fenestraJson<PublishJson>(home, 'restore', '4', '--yes');
    expect([restored.totals['bytes'], restored.totals['toSend']]).toEqual([expect.any(Number), 0]);
    expect((await readStore(home)).damaged).toEqual([]);
  });

  it('packs that are mostly swept are written anew without losing a byte', async () => {
    const home = makeProject(
      Object.fromEntries(Array.from({ length: 60 }, (_, n) => [`site/f${n}.txt`, `first ${n} `.repeat(500)])),
      `${CONFIG}historyDepth: 1\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(
      home,
      Object.fromEntries(
        Array.from({ length: 55 }, (_, n) => [`site/f${n}.txt`, `second ${n} `.repeat(500)]),
      ),
    );
    await fenestraJson(home, 'publish', '--yes');
    const opened = EmbeddedStore.open(store(home));
    sweepBodies(opened.layout, opened.rows, Date.now() + 120_000);
    const packs = join(store(home), 'packs');
    const bytes = readdirSync(packs).reduce((sum, name) => sum + statSync(join(packs, name)).size, 0);
    const live = (await opened.bucket('test-mill'))?.bytes ?? 0;
    await opened.close();
    expect(bytes).toBeLessThan(live * 1.1);
    expect((await readStore(home)).damaged).toEqual([]);
  });
});

describe('an agreed change list', () => {
  it('is published exactly, or refused with what has drifted', async () => {
    const home = makeProject({ 'site/a.txt': 'a' });
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(home, { 'site/a.txt': 'agreed' });
    const before = readdirSync(store(home)).map(
      (name) => `${name} ${statSync(join(store(home), name)).size}`,
    );
    const { code: agreed } = await fenestraJson<{ code: string }>(
      home,
      'publish',
      '--dry-run',
      '--save',
      'plan.json',
    );
    expect(agreed).toMatch(/^test-mill-[0-9a-z]{4}-[0-9a-z]{4}$/);
    const byCode = () => fenestra(home, 'publish', '--agreed', agreed);
    expect(
      readdirSync(store(home)).map((name) => `${name} ${statSync(join(store(home), name)).size}`),
    ).toEqual(before);
    writeFiles(home, { 'site/b.txt': 'sneaked in' });
    expect(await fenestra(home, 'publish', '--agreed', 'plan.json')).toMatchObject({
      code: 4,
      err: expect.stringContaining('b.txt would be changed too') as string,
    });
    expect(await byCode()).toMatchObject({
      code: 4,
      err: expect.stringMatching(/now the code is test-mill-/) as string,
    });
    rmSync(join(home, 'site/b.txt'));
    writeFiles(home, { 'site/a.txt': 'other' });
    expect((await byCode()).code).toBe(4);
    expect(await fenestra(home, 'publish', '--agreed', 'plan.json')).toMatchObject({
      code: 4,
      err: expect.stringContaining('a.txt would be changed otherwise') as string,
    });
    writeFiles(home, { 'site/a.txt': 'agreed' });
    await fenestra(home, 'access', 'open', '--sure', 'test-mill');
    expect((await fenestra(home, 'publish', '--agreed', 'plan.json')).err).toContain(
      'plan.json: the bucket was closed and is open now.',
    );
    expect((await byCode()).code).toBe(4);
    await fenestra(home, 'access', 'close');
    expect(await fenestraJson(home, 'publish', '--agreed', 'plan.json')).toMatchObject({ release: 2 });
    expect(await fenestra(home, 'publish', '--agreed', 'plan.json')).toMatchObject({
      code: 4,
      err: expect.stringContaining(
        'was at release 1 and is at 2; a.txt would not be changed any more.',
      ) as string,
    });
    expect((await byCode()).code).toBe(4);
    writeFiles(home, { 'bad.json': '{}' });
    expect((await fenestra(home, 'publish', '--agreed', 'bad.json')).code).toBe(2);
    expect((await fenestra(home, 'publish', '--agreed', 'none.json')).code).toBe(2);
    expect((await fenestra(home, 'publish', '--save', 'x.json')).code).toBe(2);
  });
  it('has a code that stands for all of it, and is read as people write it', async () => {
    const home = makeProject({ 'site/a.txt': 'a' });
    const dryRun = async (...words: string[]): Promise<string> => {
      const { code } = await fenestraJson<{ code: string }>(home, 'publish', '--dry-run', ...words);
      return code;
    };
    const first = await dryRun();
    expect(await dryRun()).toBe(first);
    const codes = [first, await dryRun('--matching', '*.txt')];
    for (const config of [
      'otherwise: 3 hours\n',
      'documents: { index: index.html }\n',
      `${CONFIG}quirks: { folderWithoutSlash: index }\n`,
    ]) {
      writeFiles(home, {
        'fenestra.yaml': config.startsWith('site') ? config : CONFIG.replace(/documents.*\n/, config),
      });
      codes.push(await dryRun());
    }
    expect(new Set(codes).size).toBe(codes.length);
    writeFiles(home, { 'fenestra.yaml': CONFIG });
    const { out } = await fenestra(home, 'publish', '--dry-run', '--matching', '*.txt');
    expect(out).toMatch(
      /Publish exactly this with: fenestra publish --agreed test-mill-\S+ --matching '\*\.txt'$/,
    );
    expect((await fenestra(home, 'publish', '--agreed', `other${first.slice(9)}`)).err).toContain(
      'that code is of bucket other',
    );
    const written = first.replace(/.{9}$/, (end) => end.toUpperCase().replace(/0/g, 'O').replace(/1/g, 'l'));
    expect(await fenestraJson(home, 'publish', '--agreed', written)).toMatchObject({ release: 1 });
  });
  it('kept as a page is read again, and tells what has drifted', async () => {
    const home = makeProject({ 'site/a.txt': 'a', 'site/<script>.txt': '</script>' });
    const { out } = await fenestra(home, 'publish', '--dry-run', '--save', 'list.html');
    const page = readFileSync(join(home, 'list.html'), 'utf8');
    expect(page.match(/<script/g)).toHaveLength(1);
    expect(page).toContain(/--agreed (\S+)/.exec(out)?.[1]);
    writeFiles(home, { 'site/a.txt': 'b' });
    expect((await fenestra(home, 'publish', '--agreed', 'list.html')).err).toContain(
      'a.txt would be changed otherwise',
    );
    writeFiles(home, { 'site/a.txt': 'a' });
    expect(await fenestraJson(home, 'publish', '--agreed', 'list.html')).toMatchObject({ release: 1 });
  });
  it('shows the text that would change', async () => {
    const home = makeProject(
      { 'site/a.txt': 'one\ntwo\nthree\n', 'site/b.bin': Buffer.from([0, 1, 2]), 'site/c.svg': '<svg/>\n' },
      `${CONFIG}assign: [{ to: "*.svg", encoding: gzip }]\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(home, {
      'site/a.txt': 'one\n2\nthree\n',
      'site/b.bin': Buffer.from([0, 1, 3]),
      'site/c.svg': '<svg></svg>\n',
    });
    expect((await fenestra(home, 'publish', '--diff', 'c.svg')).out).toMatch(/-<svg\/>\n\+<svg><\/svg>/);
    expect(await fenestraJson(home, 'publish', '--diff', 'a.txt')).toMatchObject({
      key: 'a.txt',
      diff: expect.stringMatching(/-two\n\+2/) as string,
    });
    expect((await fenestra(home, 'publish', '--diff', 'a.txt')).out).toMatch(/-two\n\+2/);
    expect((await fenestra(home, 'publish', '--diff', 'b.bin')).out).toContain(
      'is not text that can be compared',
    );
    expect((await fenestra(home, 'publish', '--diff', 'index.html')).out).toContain('would not change');
  });
});

describe('buckets', () => {
  it('are created, listed, shown, emptied and removed, each step meant', async () => {
    const home = makeProject({ 'site/posters/a.txt': 'a', 'site/posters/b.txt': 'b' });
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'bucket', 'create', 'second-mill');
    expect(await fenestra(home, 'bucket', 'create', 'second-mill')).toMatchObject({
      code: 4,
      err: expect.stringContaining('second-mill-2') as string,
    });
    expect(await fenestra(home, 'bucket', 'create', 'Mill_2')).toMatchObject({
      code: 2,
      err: expect.stringContaining('mill-2') as string,
    });
    expect(
      (
        await fenestraJson<{ buckets: { bucket: string; objects: number }[] }>(home, 'bucket', 'list')
      ).buckets.map(({ bucket, objects }) => `${bucket} ${objects}`),
    ).toEqual(['second-mill 0', 'test-mill 4']);
    expect((await fenestra(home, 'bucket', 'show', '--tree')).out).toMatch(/posters\/ +2 objects/);
    expect((await fenestra(home, 'bucket', 'empty', '--matching', 'posters/**')).code).toBe(4);
    expect(
      await fenestraJson(home, 'bucket', 'empty', '--matching', 'posters/**', '--sure', 'test-mill'),
    ).toMatchObject({ release: 2, removed: ['posters/a.txt', 'posters/b.txt'] });
    expect((await fenestra(home, 'publish', '--dry-run')).out).toContain('2 to add');
    expect((await fenestra(home, 'bucket', 'remove')).code).toBe(4);
    expect((await fenestra(home, 'bucket', 'remove', '--with-contents')).code).toBe(4);
    expect(
      await fenestraJson(home, 'bucket', 'remove', '--with-contents', '--sure', 'test-mill'),
    ).toMatchObject({ removed: { objects: 2, releases: 2, bodies: expect.any(Number) as number } });
    await fenestraJson(home, 'bucket', 'remove', 'second-mill', '--sure', 'second-mill');
    expect((await fenestraJson<{ buckets: unknown[] }>(home, 'bucket', 'list')).buckets).toEqual([]);
    expect(readdirSync(join(store(home), 'packs'))).toEqual([]);
    expect(await fenestraJson(home, 'publish', '--yes')).toMatchObject({ release: 1 });
  });
  it('say how another destination differs', async () => {
    const home = makeProject(
      {},
      `${CONFIG.replace('documents:', '  live: { store: here, bucket: live-mill, documents: { error: index.html } }\ndocuments:')}`,
    );
    await fenestraJson(home, 'publish', '--yes');
    expect((await fenestra(home, 'publish', '--to', 'live', '--dry-run')).out).toContain(
      'rehearsal (test-mill, release 1) differs in 1 setting',
    );
  });
  it('name what is damaged', async () => {
    const home = makeProject({ 'site/copy.html': PAGE, 'site/large.bin': Buffer.alloc(300_000, 5) });
    await fenestraJson(home, 'publish', '--yes');
    const packs = join(store(home), 'packs');
    for (const name of readdirSync(packs)) {
      const bytes = readFileSync(join(packs, name));
      bytes[3] = 0x7e;
      writeFiles(packs, { [name]: bytes });
    }
    const { code, out } = await fenestra(home, 'bucket', 'show', '--verify', '--json');
    expect([code, (JSON.parse(out) as { damaged: { key: string }[] }).damaged.map(({ key }) => key)]).toEqual(
      [3, ['copy.html', 'index.html']],
    );
    writeFiles(home, { 'site/copy.html': `${PAGE}\n`, 'site/index.html': `${PAGE}\n` });
    await fenestraJson(home, 'publish', '--yes');
    const later = await fenestra(home, 'bucket', 'show', '--verify');
    expect([later.code, later.out]).toEqual([
      3,
      expect.stringMatching(/copy\.html +release 1 +.* holds other bytes[^]*Release 2, .*is whole/),
    ]);
  });
});

it('a body that was moved since a reader last looked is found where it went', async () => {
  const home = makeProject({ 'site/little.txt': 'goes' });
  await fenestraJson(home, 'publish', '--yes');
  // The other bucket's pages lie in the first one's pack, of which a little goes with that bucket.
  const config = `${CONFIG.replace('test-mill', 'other-mill')}storeFolder: ${store(home)}\n`;
  await fenestraJson(makeProject({}, config), 'publish', '--yes');
  const reader = EmbeddedStore.open(store(home));
  try {
    const snapshot = await reader.open('other-mill');
    const pages: StoredObject[] = [];
    for await (const object of snapshot.objects()) pages.push(object);
    const [page] = pages;
    if (!page) throw new Error('the other bucket has pages');
    const packs = readdirSync(join(store(home), 'packs'));
    const place = reader.rows.bodies.get(page.digest);
    // Without a turn of the event loop in between, so that the reader still sees the store as it was.
    const words = ['bucket', 'remove', 'test-mill', '--with-contents', '--sure', 'test-mill'];
    spawnSync(process.execPath, [resolve('dist/fenestra.js'), ...words], { cwd: home });
    const left = readdirSync(join(store(home), 'packs'));
    expect(left).not.toEqual(packs);
    // Not a byte of the removed bucket is left behind.
    expect(left.map((name) => statSync(join(store(home), 'packs', name)).size)).toEqual([
      pages.reduce((sum, { size }) => sum + size, 0),
    ]);
    expect(reader.rows.bodies.get(page.digest)).toEqual(place);
    const digest = createHash('sha256');
    for await (const piece of snapshot.read(page)) digest.update(piece);
    expect(digest.digest('hex')).toBe(page.digest);
    await snapshot.close();
  } finally {
    await reader.close();
  }
});

describe('publish --watch', () => {
  it('publishes after a quiet period, and survives a mistake in the config', async () => {
    const home = makeProject({ 'site/a.txt': 'one' });
    const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'publish', '--watch', '--yes'], {
      cwd: home,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let log = '';
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (chunk: Buffer) => (log += chunk.toString()));
    const until = async (text: string): Promise<void> => {
      for (let n = 0; n < 150 && !log.includes(text); n++) await wait(100);
      expect(log).toContain(text);
    };
    await until('Watching for changes');
    writeFiles(home, { 'site/a.txt': 'two', 'site/b.txt': 'b' });
    await until('Published release 2');
    writeFiles(home, { 'fenestra.yaml': `${CONFIG}otherwise: 30 dayz\n` });
    await until('did you mean 30 days');
    writeFiles(home, { 'fenestra.yaml': `${CONFIG}otherwise: 30 days\n`, 'site/c.html': PAGE });
    await until('Published release 3');
    // A build that begins with an empty folder, and an editor that puts a new file in the place of the old one.
    rmSync(join(home, 'site'), { recursive: true });
    await until('does not exist');
    writeFiles(home, {
      'site/index.html': PAGE,
      'site/not-found.html': ERROR_PAGE,
      'site/c.html': PAGE,
      'site/b.txt': 'b',
      'site/a.txt': 'three',
    });
    await until('Published release 4');
    for (const [depth, release] of [
      [7, 5],
      [8, 6],
    ]) {
      writeFiles(home, { 'new.yaml': `${CONFIG}otherwise: ${depth} days\n` });
      renameSync(join(home, 'new.yaml'), join(home, 'fenestra.yaml'));
      await until(`Published release ${release}`);
    }
    // A build beside the old one, and a link that is turned to it.
    cpSync(join(home, 'site'), join(home, 'build'), { recursive: true });
    writeFiles(home, { 'build/a.txt': 'four' });
    renameSync(join(home, 'site'), join(home, 'old'));
    symlinkSync('build', join(home, 'site'));
    await until('Published release 7');
    writeFiles(home, { 'build/a.txt': 'five' });
    await until('Published release 8');
    const ended = new Promise<number | null>((done) => child.once('exit', (code) => done(code)));
    child.kill('SIGTERM');
    expect(await ended).toBe(0);
    expect((await readStore(home)).objects.map(({ key }) => key)).toEqual([
      'a.txt',
      'b.txt',
      'c.html',
      'index.html',
      'not-found.html',
    ]);
  });
});

it('notices a file that changes between being surveyed and being sent', async () => {
  const { openPublished } = await import('../src/disk/read-file.js');
  const home = makeProject({ 'site/a.txt': 'aaaa' });
  const path = join(home, 'site/a.txt');
  utimesSync(path, 1_700_000_000, 1_700_000_000);
  const { size, mtimeMs, ctimeMs, ino } = statSync(path);
  const stamp = { size, mtimeMs, ctimeMs, inode: ino };
  expect(openPublished(path, stamp, Date.now() + 10_000, undefined).read().verified).toBe(true);
  // The same moment as the survey proves nothing; neither does a time that was set back.
  expect(openPublished(path, stamp, ctimeMs, undefined).read().verified).toBe(false);
  writeFiles(home, { 'site/a.txt': 'bbbb' });
  utimesSync(path, 1_700_000_000, 1_700_000_000);
  expect(openPublished(path, stamp, Date.now() + 10_000, undefined).read().verified).toBe(false);
});

it('says what changes sooner than caches let go of it, by which rule, and what would help', async () => {
  const home = makeProject(
    {
      'site/pictures/owl.png': Buffer.from('89504e470d0a1a0a', 'hex'),
      'site/pictures/mill.png': Buffer.from('89504e470d0a1a0b', 'hex'),
    },
    `${CONFIG}assign:\n  - { type: "image/*", cache: 1 year }\n`,
  );
  await fenestraJson(home, 'publish', '--yes');
  writeFiles(home, { 'site/pictures/owl.png': Buffer.from('89504e470d0a1a0a00', 'hex') });
  // Nobody holds anything of a bucket that is closed.
  expect((await fenestra(home, 'publish', '-n')).out).not.toContain('Kept for longer than it lasts');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  const { out } = await fenestra(home, 'publish', '-n');
  expect(out).toContain('Kept for longer than it lasts: pictures/owl.png. It changes after');
  expect(out).toMatch(/kept for 1\s+year, by rule 1, line 6, which covers 2\s+objects/);
  expect(out).toContain('versioned: ["*.{avif,gif,jpg,jpeg,png,svg,webp}"]');
  // From then on the history knows.
  expect((await fenestra(home, 'survey')).out).not.toContain('Kept for longer');
  await fenestraJson(home, 'publish', '--yes');
  writeFiles(home, { 'site/pictures/owl.png': Buffer.from('89504e470d0a1a0a01', 'hex') });
  await fenestraJson(home, 'publish', '--yes');
  const known = { by: 'rule 1, line 6', covers: 2, objects: [{ key: 'pictures/owl.png', changed: 2 }] };
  expect(await fenestraJson(home, 'survey')).toMatchObject({ keptTooLong: known });
  expect((await fenestra(home, 'survey')).out.replace(/\s+/g, ' ')).toMatch(
    /Kept for longer than it lasts: pictures\/owl.png\. It has changed 2 times.* by rule 1, line 6, which covers 2 objects/,
  );
  writeFiles(home, { 'site/index.html': `${PAGE}<img src="pictures/owl.png" alt="An owl">` });
  await fenestraJson(home, 'publish', '--yes');
  expect(await fenestraJson(home, 'visit', '/')).toMatchObject({ keptTooLong: known });
  // An author's own version in the address is a new address.
  writeFiles(home, { 'site/index.html': `${PAGE}<img src="pictures/owl.png?v=3" alt="An owl">` });
  await fenestraJson(home, 'publish', '--yes');
  expect(await fenestraJson(home, 'visit', '/')).not.toHaveProperty('keptTooLong');
});

it('asks for the name where nothing of another project stays, and the history names its folder', async () => {
  const files = (text: string): Record<string, string> =>
    Object.fromEntries(
      ['index', 'not-found', 'visit', 'times'].map((name) => [`site/${name}.html`, `${PAGE}${text}`]),
    );
  const home = makeProject(files('<p>mill</p>'));
  await fenestraJson(home, 'publish', '--yes');
  const other = makeProject(files('<p>shop</p>'), `${CONFIG}storeFolder: ${join(home, '.fenestra/store')}\n`);
  const asked = await fenestra(other, 'publish', '--yes');
  expect([asked.code, asked.err]).toEqual([4, expect.stringContaining('--sure test-mill')]);
  expect(asked.err).toContain(`was published from the folder ${basename(home)}, and nothing of that stays`);
  await fenestraJson(other, 'publish', '--yes', '--sure', 'test-mill');
  expect((await fenestra(other, 'history', '2')).out).toContain(`from the project ${basename(other)}`);
  // The same project goes on without a question, however much it changes.
  writeFiles(other, files('<p>flour</p>'));
  await fenestraJson(other, 'publish', '--yes');
});
