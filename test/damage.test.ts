/** Stores that a disk, a hand or another version has changed: said, never believed, and healed where that can be. */
import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  chmodSync,
  closeSync,
  copyFileSync,
  cpSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join, resolve } from 'node:path';
import { open, type Key } from 'lmdb';
import { describe, expect, it } from 'vitest';
import { EmbeddedStore } from '../src/stores/embedded/embedded-store.js';
import type { BodyPlace } from '../src/stores/embedded/rows.js';
import { ask } from './helpers/ask.js';
import { fenestra, fenestraJson, makeProject, serve, writeFiles } from './helpers/program.js';

const storeOf = (home: string): string => join(home, '.fenestra/store');
const film = (seed: number): Buffer =>
  createHash('shake256', { outputLength: 1_280_000 }).update(`film ${seed}`).digest();

/** Every file below a folder, as paths. */
const filesBelow = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name));

function overwrite(path: string, at: number, text: string): void {
  const file = openSync(path, 'r+');
  writeSync(file, Buffer.from(text), 0, text.length, at);
  closeSync(file);
}

async function published(files: Record<string, string | Buffer> = {}): Promise<string> {
  const home = makeProject(files);
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  return home;
}

describe('a damaged body', () => {
  it('is never sent, not even in part, and the next publish heals it', async () => {
    const home = await published({ 'site/film.bin': film(1), 'site/note.txt': 'a note' });
    const [large = ''] = filesBelow(join(storeOf(home), 'large'));
    overwrite(large, 700_000, 'damage');
    const server = await serve(home);
    try {
      const range = (from: number): ReturnType<typeof ask> =>
        ask(server.port, '/film.bin', { headers: { range: `bytes=${from}-${from + 99}` } });
      // The first blocks are whole, and the connection ends before the damaged one.
      await expect(ask(server.port, '/film.bin')).rejects.toThrow(/aborted|hang up|reset/);
      expect((await range(700_000)).status).toBe(500);
      const whole = await range(100);
      expect([whole.status, whole.body.equals(film(1).subarray(100, 200))]).toEqual([206, true]);
      const unchanged = await fenestraJson(home, 'publish', '--yes');
      expect(unchanged).toMatchObject({ release: 1, changes: [], healed: ['film.bin'], lost: [] });
      const healed = await ask(server.port, '/film.bin');
      expect([healed.status, healed.body.equals(film(1))]).toEqual([200, true]);
      // Cut short, it has no whole answer at all.
      truncateSync(large, 1_000_000);
      expect((await ask(server.port, '/film.bin')).status).toBe(500);
    } finally {
      await server.stop();
    }
    expect((await fenestra(home, 'publish', '--dry-run')).out).toContain('would be sent again');
    expect((await fenestra(home, 'publish')).out).toMatch(
      /Nothing has changed[^]*were sent again[^]*film\.bin/,
    );
    expect((await fenestra(home, 'bucket', 'show', '--verify')).out).toContain('Whole');
  });

  it('that the site no longer holds is named by release and key, and no restore brings it back unsaid', async () => {
    const home = await published({ 'site/old.txt': 'the old text', 'site/kept.txt': 'kept' });
    rmSync(join(home, 'site/old.txt'));
    await fenestraJson(home, 'publish', '--yes');
    for (const pack of filesBelow(join(storeOf(home), 'packs'))) {
      const at = readFileSync(pack).indexOf('the old text');
      if (at >= 0) overwrite(pack, at, 'THE');
    }
    const shown = await fenestra(home, 'bucket', 'show', '--verify');
    expect([shown.code, shown.out]).toEqual([3, expect.stringMatching(/old\.txt +release 1/)]);
    expect(await fenestraJson(home, 'publish', '--yes')).toMatchObject({
      healed: [],
      lost: [{ key: 'old.txt', release: 1 }],
    });
    const refused = await fenestra(home, 'restore', '1', '--yes');
    expect([refused.code, refused.err]).toEqual([3, expect.stringMatching(/Release 1 cannot .*old\.txt/)]);
    // Once the file is back, going back sends its bytes again.
    writeFiles(home, { 'site/old.txt': 'the old text' });
    expect(await fenestraJson(home, 'restore', '1', '--yes')).toMatchObject({
      release: 3,
      healed: ['old.txt'],
    });
    expect((await fenestra(home, 'bucket', 'show', '--verify')).out).toContain('Whole');
  });
});

describe('a store', () => {
  const READING = [['bucket', 'list'], ['history'], ['trace', '/'], ['publish', '--dry-run'], ['check']];

  it.each<[string, (store: string) => void]>([
    ['whose database is gone', (store) => rmSync(join(store, 'rows.lmdb'))],
    ['whose database is empty', (store) => truncateSync(join(store, 'rows.lmdb'))],
    [
      'whose database and marker are gone',
      (store) => {
        rmSync(join(store, 'rows.lmdb'));
        rmSync(join(store, 'fenestra-store.json'));
      },
    ],
    ['whose marker is cut', (store) => truncateSync(join(store, 'fenestra-store.json'), 9)],
    ['whose database is cut', (store) => truncateSync(join(store, 'rows.lmdb'), 8192)],
    ['whose database is no database', (store) => writeFileSync(join(store, 'rows.lmdb'), 'x'.repeat(50_000))],
  ])('%s is damaged, and nothing is written to it', async (_what, harm) => {
    const home = await published();
    harm(storeOf(home));
    const before = filesBelow(storeOf(home)).map((path) => [path, statSync(path).mtimeMs]);
    for (const words of [
      ['trace', '/'],
      ['publish', '--yes'],
    ]) {
      const { code, err } = await fenestra(home, ...words);
      expect([words, code, err]).toEqual([words, 3, expect.stringMatching(/The store is damaged: /)]);
    }
    expect(filesBelow(storeOf(home)).map((path) => [path, statSync(path).mtimeMs])).toEqual(before);
  });

  it('with the database of another, or an older one of its own, is damaged', async () => {
    const [home, other] = [await published(), await published({ 'site/other.txt': 'x' })];
    const rows = join(storeOf(home), 'rows.lmdb');
    copyFileSync(rows, join(home, 'older.lmdb'));
    writeFiles(home, { 'site/more.txt': 'more' });
    await fenestraJson(home, 'publish', '--yes');
    copyFileSync(join(home, 'older.lmdb'), rows);
    expect((await fenestra(home, 'history')).err).toMatch(/is older than it was/);
    copyFileSync(join(storeOf(other), 'rows.lmdb'), rows);
    rmSync(join(storeOf(home), 'glance.json'));
    expect((await fenestra(home, 'history')).err).toMatch(/is the database of another store/);
  });

  it('names a row that is not as it was written', async () => {
    const home = await published({ 'site/styles/mill.css': 'body{}' });
    const rows = join(storeOf(home), 'rows.lmdb');
    const bytes = readFileSync(rows);
    const digest = createHash('sha256').update('body{}').digest();
    for (let at = bytes.indexOf(digest); at >= 0; at = bytes.indexOf(digest, at + 1))
      overwrite(rows, at, 'x');
    const { code, err } = await fenestra(home, 'trace', '/styles/mill.css');
    expect([code, err]).toEqual([
      3,
      expect.stringMatching(
        /the row test-mill \/ styles\/mill\.css of the table object is not as it was written/,
      ),
    ]);
  });

  it('whose marker alone is gone gets it back from its database', async () => {
    const home = await published();
    const marker = join(storeOf(home), 'fenestra-store.json');
    const before = readFileSync(marker, 'utf8');
    rmSync(marker);
    expect(await fenestraJson(home, 'publish', '--yes')).toMatchObject({ release: 1 });
    expect(readFileSync(marker, 'utf8')).toBe(before);
  });

  it('of the first format is read and written anew, once', async () => {
    const home = await published({ 'site/film.bin': film(2), 'site/a.txt': 'a' });
    writeFiles(home, { 'site/a.txt': 'another' });
    await fenestraJson(home, 'publish', '--yes');
    const history = await fenestraJson(home, 'history');
    await makeFirstFormat(storeOf(home));
    expect(await fenestraJson(home, 'history')).toEqual(history);
    expect(await fenestraJson(home, 'publish', '--yes')).toMatchObject({ release: 2, changes: [] });
    const server = await serve(home);
    try {
      const headers = { range: 'bytes=600000-600099' };
      const part = await ask(server.port, '/film.bin', { headers });
      expect(part.body.equals(film(2).subarray(600_000, 600_100))).toBe(true);
      overwrite(filesBelow(join(storeOf(home), 'large'))[0] ?? '', 900_000, 'damage');
      // What was summed up before tells of it.
      await expect(ask(server.port, '/film.bin')).rejects.toThrow(/aborted|hang up|reset/);
    } finally {
      await server.stop();
    }
    expect((await fenestra(home, 'restore', '1', '--yes')).code).toBe(0);
  });

  it('that may not be written is read all the same, and says so where it would be written', async () => {
    const home = await published({ 'site/draft.txt': 'draft' });
    chmodSync(home, 0o755);
    for (const path of filesBelow(storeOf(home))) chmodSync(path, 0o444);
    for (const folder of [storeOf(home), join(storeOf(home), 'packs'), join(storeOf(home), 'large')])
      chmodSync(folder, 0o555);
    for (const words of [...READING, ['access', 'show'], ['bucket', 'show', '--verify']])
      expect([words, (await asNobody(home, words)).code]).toEqual([words, 0]);
    for (const words of [
      ['access', 'close'],
      ['bucket', 'create', 'another-mill'],
    ])
      expect(await asNobody(home, words)).toEqual({
        code: 3,
        err: expect.stringMatching(/cannot be written: permission is missing/) as string,
      });
    chmodSync(storeOf(home), 0o700);
    expect((await asNobody(home, ['history'])).err).toMatch(/cannot be read: permission is missing/);
  });
});

describe('a publish that never came to its release', () => {
  it('leaves nothing once another one is through', async () => {
    const home = await published();
    const store = EmbeddedStore.open(storeOf(home));
    const bucket = await store.bucket('test-mill');
    if (!bucket) throw new Error('no bucket');
    const bytes = film(7);
    const digest = createHash('sha256').update(bytes).digest('hex');
    const object = { key: 'film.bin', size: bytes.length, digest, headers: {} };
    const totals = { add: 1, replace: 0, relabel: 0, remove: 0, keep: 0, bytes: 0 };
    const { settings } = bucket;
    const plan = { base: 1, bucket, by: 'test', note: '', totals, settings, put: [object], remove: [] };
    const publication = await store.begin('test-mill', plan);
    await publication.put({
      object,
      path: 'film.bin',
      read: () => ({ bytes, verified: false }),
      pieces: () => [bytes],
    });
    await publication.settle();
    await publication.abandon();
    expect(store.rows.bodies.has(digest)).toBe(true);
    writeFiles(home, { 'site/a.txt': 'something else' });
    await fenestraJson(home, 'publish', '--yes');
    store.rows.root.resetReadTxn();
    expect([store.rows.bodies.has(digest), store.rows.blocks.has(digest)]).toEqual([false, false]);
    await store.close();
  });
});

describe('a clock that goes back', () => {
  it('makes no date say that something is unchanged', async () => {
    const home = await published({ 'site/a.txt': 'first' });
    const store = EmbeddedStore.open(storeOf(home));
    const put = async (text: string, at: number): Promise<number> => {
      const bucket = await store.bucket('test-mill');
      if (!bucket) throw new Error('no bucket');
      const bytes = Buffer.from(text);
      const digest = createHash('sha256').update(bytes).digest('hex');
      const object = { key: 'a.txt', size: bytes.length, digest, headers: { 'Content-Type': 'text/plain' } };
      const publication = await store.begin('test-mill', {
        base: bucket.release,
        bucket,
        by: 'test',
        note: '',
        totals: { add: 0, replace: 1, relabel: 0, remove: 0, keep: 0, bytes: 0 },
        settings: bucket.settings,
        put: text === '' ? [] : [object],
        remove: text === '' ? ['a.txt'] : [],
      });
      await publication.put({
        object,
        path: 'a.txt',
        read: () => ({ bytes, verified: false }),
        pieces: () => [bytes],
      });
      await publication.commit(at);
      await publication.abandon();
      return (await (await store.open('test-mill')).find('a.txt'))?.since ?? 0;
    };
    const seconds = (at: number): number => Math.floor(at / 1000);
    const begun = Date.now();
    const first = await put('second', begun - 86_400_000);
    const second = await put('third', begun - 86_400_000);
    expect(seconds(second)).toBeGreaterThan(seconds(first));
    await put('', begun);
    const third = await put('fourth', begun);
    expect(seconds(third)).toBeGreaterThan(seconds(second));
    await store.close();
    const server = await serve(home);
    try {
      const { headers, body } = await ask(server.port, '/a.txt');
      expect(body.toString()).toBe('fourth');
      const [modified, date] = [headers['last-modified'], headers.date].map((text) => Date.parse(text ?? ''));
      expect(modified).toBeLessThanOrEqual((date ?? 0) + 1000);
      for (const since of [first, second])
        expect(
          (
            await ask(server.port, '/a.txt', {
              headers: { 'if-modified-since': new Date(since).toUTCString() },
            })
          ).status,
        ).toBe(200);
    } finally {
      await server.stop();
    }
  });
});

/** Runs the program as a user who owns nothing. */
function asNobody(home: string, words: readonly string[]): Promise<{ code: number; err: string }> {
  return new Promise((done) => {
    const child = spawn(process.execPath, [resolve('dist/fenestra.js'), ...words], {
      cwd: home,
      uid: 65_534,
      gid: 65_534,
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    let err = '';
    child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()));
    child.once('exit', (code) => done({ code: code ?? -1, err }));
  });
}

const firstPlace = ({ pack, offset, length }: BodyPlace): unknown =>
  pack === undefined ? ['large'] : [pack, offset, length];

/** Writes the rows of a store as its first format had them: without checksums, sums of blocks and identity. */
async function makeFirstFormat(store: string): Promise<void> {
  const now = EmbeddedStore.open(store);
  const { buckets, current, undo, releases, bodies } = now.rows;
  const tables = { buckets, current, undo, releases, bodies };
  const old = open({ path: join(store, 'old.lmdb'), noSubdir: true, maxDbs: 8 });
  for (const [name, table] of Object.entries(tables)) {
    const into = old.openDB<unknown, Key>({ name });
    for (const { key, value } of table.list())
      into.putSync(key as Key, table === bodies ? firstPlace(value as BodyPlace) : value);
  }
  for (const name of ['publishing', 'doomed']) old.openDB({ name });
  await old.close();
  await now.close();
  for (const name of ['rows.lmdb', 'rows.lmdb-lock', 'glance.json'])
    rmSync(join(store, name), { force: true });
  cpSync(join(store, 'old.lmdb'), join(store, 'rows.lmdb'));
  for (const name of ['old.lmdb', 'old.lmdb-lock']) rmSync(join(store, name), { force: true });
  writeFileSync(join(store, 'fenestra-store.json'), '{"format":1}\n');
}
