import { spawn } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { ask } from './helpers/ask.js';
import { cloudOf } from './helpers/cloud.js';
import { startCluster, type Cluster } from './helpers/cluster.js';
import { makeProject, type Outcome, writeFiles } from './helpers/program.js';
import { describeWith } from './helpers/machine.js';

const BUCKET = 'wendle-mill-live';

describeWith(['Swift'], 'a real object store of which nodes die', () => {
  let cluster: Cluster;
  beforeAll(async () => {
    cluster = await startCluster();
  });
  afterAll(() => cluster.stop());

  const withCloud = (home: string, ...words: string[]): Promise<Outcome> =>
    cloudOf(cluster).run(home, ...words);
  const cloudJson = <T>(home: string, ...words: string[]): Promise<T> =>
    cloudOf(cluster).json<T>(home, ...words);
  const config = (more = '', store = ''): string => cloudOf(cluster).config(BUCKET, more, store);

  it('goes on with one node dead, stops with two and breaks nothing, and completes once they are back', async () => {
    const pages = Object.fromEntries(
      Array.from({ length: 12 }, (_, n) => [
        `site/page-${n}.html`,
        `<!doctype html><title>${n}</title><p>first`,
      ]),
    );
    const bucket = 'mill-of-nodes';
    const home = makeProject(pages, config('', ', patience: "1 second"').replaceAll(BUCKET, bucket));
    const host = cluster.host(bucket);
    await cloudJson(home, 'publish', '--yes');
    await withCloud(home, 'access', 'open', '--sure', bucket);
    const edit = (text: string): void =>
      writeFiles(
        home,
        Object.fromEntries(
          Object.keys(pages).map((name) => [name, `<!doctype html><title>x</title><p>${text}`]),
        ),
      );
    await cluster.node('kill-node', 3);
    edit('second');
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).release).toBe(2);
    await cluster.node('kill-node', 2);
    edit('third');
    const { code, err } = await withCloud(home, 'publish', '--yes');
    expect([code, err]).toEqual([3, expect.stringMatching(/^fenestra: The store "cloud" answered 503/)]);
    for (const name of Object.keys(pages)) {
      const { status, body } = await ask(cluster.port, `/${name.slice(5)}`, { host });
      expect([status, /<p>(?:second|third)$/.test(body.toString())]).toEqual([200, true]);
    }
    await cluster.node('revive-node', 2);
    await cluster.node('revive-node', 3);
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).release).toBe(3);
    // Whoever has the patience waits until they are back.
    await cluster.node('kill-node', 2);
    await cluster.node('kill-node', 3);
    edit('fourth');
    writeFileSync(
      join(home, 'fenestra.yaml'),
      readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace(', patience: "1 second"', ''),
    );
    const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'publish', '--yes'], {
      cwd: home,
      env: { ...process.env, ...cluster.env },
    });
    let said = '';
    const ended = new Promise<number | null>((done) => child.once('exit', done));
    await new Promise<void>((go) => {
      child.stderr.on('data', (piece: Buffer) => {
        said += String(piece);
        if (said.includes('waiting for it')) go();
      });
      child.once('exit', () => go());
    });
    expect(said).toContain('The store "cloud" answers 503: waiting for it, 90 seconds at most.');
    await cluster.node('revive-node', 2);
    await cluster.node('revive-node', 3);
    expect([await ended, said]).toEqual([0, expect.not.stringContaining('fenestra: ')]);
    await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
    rmSync(join(home, '.fenestra'), { recursive: true, force: true });
  }, 600_000);

  it('loses nothing where its disks are full, says so, and goes on once there is room', async () => {
    const bucket = 'mill-of-full-disks';
    const site = (text: string): Record<string, string> =>
      Object.fromEntries(
        Array.from({ length: 12 }, (_, n) => [
          `site/page-${n}.html`,
          `<!doctype html><title>${n}</title><p>${text}`,
        ]),
      );
    const home = makeProject(site('first'), config('', ', patience: "1 second"').replaceAll(BUCKET, bucket));
    const host = cluster.host(bucket);
    await cloudJson(home, 'publish', '--yes');
    await withCloud(home, 'access', 'open', '--sure', bucket);
    for (const node of [1, 2, 3]) await cluster.node('fill-node', node);
    writeFiles(home, site('second'));
    const { code, err } = await withCloud(home, 'publish', '--yes');
    expect([code, err]).toEqual([3, expect.stringMatching(/answered 50[37]/)]);
    const body = async (n: number): Promise<string> =>
      (await ask(cluster.port, `/page-${n}.html`, { host })).body.toString();
    // The proxy leaves a node alone for a while that has refused something.
    for (let n = 0; n < 12; n++) await expect.poll(() => body(n), { timeout: 20_000 }).toContain('first');
    for (const node of [1, 2, 3]) await cluster.node('empty-node', node);
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).release).toBe(2);
    for (let n = 0; n < 12; n++) expect(await body(n)).toContain('second');
    await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
  }, 300_000);

  it('is not called well by a check while a node that was away gives old answers', async () => {
    const bucket = 'mill-of-old-copies';
    const pages = (text: string): Record<string, string> =>
      Object.fromEntries(
        Array.from({ length: 12 }, (_, n) => [
          `site/page-${n}.html`,
          `<!doctype html><html lang="en"><meta charset="utf-8"><title>${n}</title><p>${text} <a href="/">home</a></html>`,
        ]),
      );
    const home = makeProject(pages('first'), config().replaceAll(BUCKET, bucket));
    await cloudJson(home, 'publish', '--yes');
    await withCloud(home, 'access', 'open', '--sure', bucket);
    expect((await withCloud(home, 'check')).code).toBe(0);
    await cluster.node('kill-node', 3);
    writeFiles(home, pages('second'));
    await cloudJson(home, 'publish', '--yes');
    await cluster.node('revive-node', 3);
    // The proxy asks it again once it has forgotten its errors.
    const host = cluster.host(bucket);
    const isOld = async (): Promise<boolean> =>
      (await ask(cluster.port, '/page-3.html', { host })).body.toString().includes('first');
    let old = 0;
    for (let tries = 0; tries < 200 && old === 0; tries++) {
      if (await isOld()) old++;
      else await new Promise((go) => setTimeout(go, 100));
    }
    expect(old).toBe(1);
    const { code, out } = await withCloud(home, 'check');
    expect([code, out]).toEqual([1, expect.stringContaining('It does not work yet.')]);
    // What is there is known all the same: nothing is to be published, and the next release is what it says.
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).changes).toEqual([]);
    await cluster.node('heal');
    expect((await withCloud(home, 'check')).code).toBe(0);
    await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
  }, 300_000);
});
