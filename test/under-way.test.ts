/** What happens to work under way when something is taken away from under it, and to work begun in odd places. */
import { execFileSync, spawn } from 'node:child_process';
import { chmodSync, mkdirSync, readdirSync, rmSync, statfsSync, symlinkSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { CONFIG, fenestra, fenestraJson, makeFolder, makeProject, writeFiles } from './helpers/program.js';
import { need } from './helpers/machine.js';

const mounts: string[] = [];
afterEach(() => {
  for (const mount of mounts.splice(0)) execFileSync('umount', ['-l', mount]);
});

function mountSmall(folder: string, size: string): string {
  mkdirSync(folder, { recursive: true });
  execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${size}`, 'tmpfs', folder]);
  mounts.push(folder);
  return folder;
}

function fill(folder: string, leave: number): void {
  const { bavail, bsize } = statfsSync(folder);
  writeFileSync(join(folder, 'filler'), Buffer.alloc(Math.max(0, bavail * bsize - leave)));
}

describe('publish --watch', () => {
  it('outlives a bucket that is removed, a disk that fills and a config that breaks', async (context) => {
    need(context, 'a disk of its own');
    const home = makeProject({ 'site/a.txt': 'first' }, `${CONFIG}storeFolder: disk/store\n`);
    const disk = mountSmall(join(home, 'disk'), '8m');
    const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'publish', '--watch', '--yes'], {
      cwd: home,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NO_COLOR: '1' },
    });
    let said = '';
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
    const ended = new Promise<number | null>((done) => child.once('exit', done));
    const says = (text: RegExp): Promise<void> =>
      expect.poll(() => said, { timeout: 10_000 }).toMatch(text) as Promise<void>;
    await says(/Watching for changes/);
    fill(disk, 100_000);
    writeFiles(home, { 'site/film.bin': Buffer.alloc(2_000_000, 'film') });
    await says(/is full; the bucket still has[^]*Still watching/);
    rmSync(join(disk, 'filler'));
    said = '';
    writeFiles(home, { 'site/a.txt': 'second' });
    await says(/Published release 2/);
    said = '';
    writeFiles(home, { 'fenestra.yaml': `${CONFIG}asign: []\n` });
    await says(/asign[^]*Still watching/);
    said = '';
    writeFiles(home, { 'fenestra.yaml': `${CONFIG}storeFolder: disk/store\n` });
    await fenestraJson(home, 'bucket', 'remove', '--with-contents', '--sure', 'test-mill');
    said = '';
    writeFiles(home, { 'site/a.txt': 'third' });
    await says(/has no bucket called test-mill[^]*Still watching/);
    child.kill('SIGINT');
    expect(await ended).toBe(0);
    expect(await fenestraJson(home, 'bucket', 'list')).toMatchObject({ buckets: [] });
  });
});

describe('publish --prove', () => {
  it('beside somebody who removes the bucket ends with one or the other, and harms nothing', async () => {
    const home = makeProject({ 'site/a.txt': 'first' });
    for (let round = 0; round < 4; round++) {
      await fenestraJson(home, 'publish', '--yes');
      writeFiles(home, { 'site/a.txt': `round ${round}` });
      const [proved, removed] = await Promise.all([
        fenestra(home, 'publish', '--prove', '--yes'),
        fenestra(home, 'bucket', 'remove', '--with-contents', '--sure', 'test-mill'),
      ]);
      expect([[0, 3, 4].includes(proved.code), proved.err, removed.code]).toEqual([
        true,
        expect.not.stringContaining('itself failed'),
        0,
      ]);
    }
    await fenestraJson(home, 'publish', '--yes');
    expect((await fenestra(home, 'bucket', 'show', '--verify')).out).toContain('Whole');
  });
});

describe('a project begun', () => {
  const init = (home: string, ...words: string[]): ReturnType<typeof fenestra> =>
    fenestra(home, 'init', '--bucket', 'test-mill', ...words);

  it('in a full disk leaves nothing behind, and says why', async (context) => {
    need(context, 'a disk of its own');
    const disk = mountSmall(join(makeFolder(), 'disk'), '64k');
    fill(disk, 4096);
    const before = readdirSync(disk);
    const { code, err } = await init(disk);
    expect([code, err]).toEqual([3, expect.stringMatching(/cannot be used: the disk is full/)]);
    expect(readdirSync(disk, { recursive: true }).filter((name) => String(name).includes('.'))).toEqual(
      before.filter((name) => name.includes('.')),
    );
  });

  it('where nothing may be written says so', async (context) => {
    need(context, 'another user');
    const home = makeFolder({ 'built/index.html': 'x' });
    for (const folder of [home, join(home, 'built')]) chmodSync(folder, 0o555);
    const said = await new Promise<string>((done) => {
      const words = [resolve('dist/fenestra.js'), 'init', 'built', '--bucket', 'test-mill'];
      const child = spawn(process.execPath, words, { cwd: home, uid: 65_534, gid: 65_534 });
      let err = '';
      child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()));
      child.once('exit', (code) => done(`${code} ${err}`));
    });
    expect(said).toMatch(/^3 fenestra: .* cannot be used: permission is missing/);
  });

  it('behind links adopts what they lead to, or says that they lead nowhere', async () => {
    const built = makeFolder({ 'index.html': '<!doctype html><title>Mill</title>', 'a/b.html': 'x' });
    const home = makeFolder();
    symlinkSync(built, join(home, 'site'));
    expect((await init(home)).out).toContain('Adopted site with 2 files');
    expect((await fenestraJson(home, 'publish', '--yes')).release).toBe(1);
    const nowhere = makeFolder();
    symlinkSync(join(nowhere, 'gone'), join(nowhere, 'site'));
    const { code, err } = await init(nowhere);
    expect([code, err]).toEqual([3, expect.stringMatching(/site cannot be used: .*no such file or folder/)]);
    symlinkSync(home, join(built, 'back'));
    expect((await fenestra(home, 'survey')).out).toContain('2 objects');
  });

  it('by the demo where there is no room leaves nothing behind', async (context) => {
    need(context, 'a disk of its own');
    const disk = mountSmall(join(makeFolder(), 'disk'), '64k');
    const said = await new Promise<string>((done) => {
      const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'demo', '--once'], {
        env: { ...process.env, TMPDIR: disk },
      });
      let err = '';
      child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()));
      child.once('exit', (code) => done(`${code} ${err}`));
    });
    expect(said).toMatch(/^3 fenestra: .* cannot be used: the disk is full/);
    expect(readdirSync(disk)).toEqual([]);
  });
});
