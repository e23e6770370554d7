/** A publisher to a real object store is killed at random moments: what is public stays whole. */
import { spawn } from 'node:child_process';
import { rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import type { PublishJson } from '../../src/report/json/publish-json.js';
import { ask } from '../helpers/ask.js';
import { SEED } from '../helpers/chance.js';
import { cloudOf } from '../helpers/cloud.js';
import { joinCluster, type Cluster } from '../helpers/cluster.js';
import { makeProject, type Outcome, writeFiles } from '../helpers/program.js';
import { describeWith } from '../helpers/machine.js';
import { Attack } from './attack-kit.js';

const BUCKET = 'wendle-mill-live';

describeWith(['Swift'], 'a real object store', () => {
  let cluster: Cluster;
  beforeAll(async () => {
    cluster = await joinCluster('kills');
  });

  const withCloud = (home: string, ...words: string[]): Promise<Outcome> =>
    cloudOf(cluster).run(home, ...words);
  const cloudJson = <T>(home: string, ...words: string[]): Promise<T> =>
    cloudOf(cluster).json<T>(home, ...words);
  const config = (more = '', store = ''): string => cloudOf(cluster).config(BUCKET, more, store);

  it(`may be killed at any moment: what is public stays whole, and the next publish completes (FENESTRA_SEED=${SEED})`, async () => {
    const PAGES = 5;
    const bucket = 'mill-of-kills';
    const host = cluster.host(bucket);
    const page = (text: string): string =>
      `<!doctype html><title>${text}</title><link rel="stylesheet" href="/a/mill.css"><p>${text}`;
    const files = (text: string): Record<string, string> => ({
      ...Object.fromEntries(Array.from({ length: PAGES }, (_, n) => [`site/page-${n}.html`, page(text)])),
      'site/a/mill.css': `p { content: "${text}" }`,
      [`site/only-${text}.txt`]: text,
    });
    const home = makeProject(files('t0'), `${config().replaceAll(BUCKET, bucket)}versioned: ["a/**"]\n`);
    await cloudJson(home, 'publish', '--yes');
    await withCloud(home, 'access', 'open', '--sure', bucket);
    const attack = new Attack('publishers to an object store that are killed', 6);
    let isKilled = 0;
    for (let round = 1; round <= attack.rounds; round++) {
      rmSync(join(home, `site/only-t${round - 1}.txt`));
      writeFiles(home, files(`t${round}`));
      const child = spawn(process.execPath, [resolve('dist/fenestra.js'), 'publish', '--yes'], {
        cwd: home,
        stdio: 'ignore',
        env: { ...process.env, ...cluster.env },
      });
      const ended = new Promise<NodeJS.Signals | null>((done) =>
        child.once('exit', (_, signal) => done(signal)),
      );
      setTimeout(() => child.kill('SIGKILL'), 250 + attack.next() * 900);
      const signal = await ended;
      attack.note(signal === 'SIGKILL' ? 'killed' : 'done before');
      if (signal === 'SIGKILL') isKilled++;
      for (let n = 0; n < PAGES; n++) {
        const body = (await ask(cluster.port, `/page-${n}.html`, { host })).body.toString();
        const text = /<p>(t\d+)$/.exec(body)?.[1] ?? '';
        const style = /href="([^"]+)"/.exec(body)?.[1] ?? '';
        const styled = await ask(cluster.port, style, { host });
        expect([round, n, styled.status, styled.body.toString()]).toEqual([
          round,
          n,
          200,
          `p { content: "${text}" }`,
        ]);
      }
      const finished = await withCloud(home, 'publish', '--yes');
      expect([round, finished.code, finished.err]).toEqual([round, 0, '']);
      expect((await ask(cluster.port, `/only-t${round - 1}.txt`, { host })).status).toBe(404);
    }
    const again = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect(again.changes).toEqual([]);
    expect(isKilled).toBeGreaterThan(attack.rounds / 4);
    attack.finish();
  }, 1_200_000);
});
