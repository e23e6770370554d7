import { spawn } from 'node:child_process';
import { cpSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { storeContract } from '../src/stores/contract/contract.js';
import { seeded } from '../src/stores/contract/kit.js';
import type { SwiftStore } from '../src/stores/swift/swift-store.js';
import { ask } from './helpers/ask.js';
import { canCluster, startCluster, type Cluster } from './helpers/cluster.js';
import { DEMO, fenestra, makeFolder, makeProject, type Outcome, writeFiles } from './helpers/program.js';

const BUCKET = 'wendle-mill-live';

describe.runIf(canCluster())('a real object store of three nodes', () => {
  let cluster: Cluster;
  beforeAll(() => {
    cluster = startCluster();
  });
  afterAll(() => cluster.stop());

  const emptied = async (): Promise<SwiftStore> => {
    const store = cluster.openStore();
    for (const { name } of await store.buckets()) await store.remove(name);
    return store;
  };

  it('passes the contract', { timeout: 900_000 }, async () => {
    for (const { name, run } of await storeContract(emptied)) {
      try {
        await run();
      } catch (error) {
        throw new Error(`${name}: ${error instanceof Error ? error.message : String(error)}`, {
          cause: error,
        });
      }
    }
    await (await emptied()).close();
  });

  /** Runs the program with what it signs in with in its environment. */
  async function withCloud(home: string, ...words: string[]): Promise<Outcome> {
    const before = { ...process.env };
    Object.assign(process.env, cluster.env);
    try {
      return await fenestra(home, ...words);
    } finally {
      for (const name of Object.keys(cluster.env)) {
        if (before[name] === undefined) Reflect.deleteProperty(process.env, name);
        else process.env[name] = before[name];
      }
    }
  }
  const cloudJson = async <T>(home: string, ...words: string[]): Promise<T> => {
    const { code, out, err } = await withCloud(home, ...words, '--json');
    expect({ code, err }).toEqual({ code: 0, err: '' });
    return JSON.parse(out) as T;
  };
  const config = (more = ''): string => `site: site
stores: { cloud: { kind: swift, auth: "${cluster.auth}" } }
destinations: { live: { store: cloud, bucket: ${BUCKET}, address: "http://${cluster.host(BUCKET)}/" } }
documents: { index: index.html, error: not-found.html }
${more}`;

  it('takes the demo site from the first publish to a checked live site, and back', async () => {
    const home = makeFolder();
    cpSync(join(DEMO, 'site'), join(home, 'site'), { recursive: true });
    writeFileSync(
      join(home, 'fenestra.yaml'),
      config('readable: { keys: ["**"], except: ["drafts/**"] }\nversioned: ["styles/**", "assets/**"]\n'),
    );
    const outputs: string[] = [];
    const missing = await fenestra(home, 'publish', '--yes');
    expect([missing.code, missing.err]).toEqual([2, expect.stringContaining('set FENESTRA_CLOUD_USER')]);
    const first = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([first.release, first.withheld.length]).toEqual([1, 2]);
    outputs.push(JSON.stringify(first));
    const host = cluster.host(BUCKET);
    expect((await ask(cluster.port, '/', { host })).status).toBe(401);
    await withCloud(home, 'access', 'open', '--sure', BUCKET);
    const checked = await cloudJson<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(checked).toMatchObject({ passed: true, probes: { failed: 0 } });
    expect(checked.probes.run).toBeGreaterThan(250);
    // Nobody can list it, and what nobody may read was never sent.
    for (const path of ['/?format=json', '/?prefix=', '/'])
      expect((await ask(cluster.port, path, { host })).body.toString()).not.toContain('"hash"');
    expect((await ask(cluster.port, '/drafts/winter-costs.csv', { host })).status).toBe(404);
    expect((await ask(cluster.port, '/no/such/page', { host })).body.toString()).toContain('No such page');

    const again = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([again.release, again.changes]).toEqual([1, []]);
    writeFiles(home, { 'site/styles/mill.css': 'h1 { color: teal }' });
    const second = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect(second.waiting.map(({ plainKey }) => plainKey)).toEqual(['styles/mill.css']);
    const restored = await cloudJson<PublishJson>(home, 'restore', '1', '--yes');
    expect([restored.release, restored.totals.toSend]).toEqual([3, 0]);
    const back = await cloudJson<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(back).toMatchObject({ probes: { failed: 0 } });
    outputs.push((await withCloud(home, 'history')).out, (await withCloud(home, 'bucket', 'show')).out);
    expect(outputs.at(-2)).toContain('release 1 again');

    // Nothing that was written or said holds the secret.
    const exported = await withCloud(home, 'bucket', 'export', 'copy', '--release', '1');
    outputs.push(exported.out);
    const written = readdirSync(home, { recursive: true, encoding: 'utf8' })
      .map((name) => join(home, name))
      .filter((path) => statSync(path).isFile());
    for (const path of written)
      expect([path, readFileSync(path).includes(cluster.key)]).toEqual([path, false]);
    for (const output of outputs) expect(output.includes(cluster.key)).toBe(false);
    expect((await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', BUCKET)).code).toBe(0);
    expect((await ask(cluster.port, '/', { host })).status).toBe(401);
  }, 300_000);

  it('goes on with one node dead, stops with two and breaks nothing, and completes once they are back', async () => {
    const pages = Object.fromEntries(
      Array.from({ length: 12 }, (_, n) => [
        `site/page-${n}.html`,
        `<!doctype html><title>${n}</title><p>first`,
      ]),
    );
    const bucket = 'mill-of-nodes';
    const home = makeProject(pages, config().replaceAll(BUCKET, bucket));
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
    cluster.node('kill-node', 3);
    edit('second');
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).release).toBe(2);
    cluster.node('kill-node', 2);
    edit('third');
    const { code, err } = await withCloud(home, 'publish', '--yes');
    expect([code, err]).toEqual([3, expect.stringMatching(/^fenestra: The store "cloud" answered 503/)]);
    for (const name of Object.keys(pages)) {
      const { status, body } = await ask(cluster.port, `/${name.slice(5)}`, { host });
      expect([status, /<p>(?:second|third)$/.test(body.toString())]).toEqual([200, true]);
    }
    cluster.node('revive-node', 2);
    cluster.node('revive-node', 3);
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes')).release).toBe(3);
    await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
    rmSync(join(home, '.fenestra'), { recursive: true, force: true });
  }, 600_000);

  it('may be killed at any moment: what is public stays whole, and the next publish completes', async () => {
    const bucket = 'mill-of-kills';
    const host = cluster.host(bucket);
    const page = (text: string): string =>
      `<!doctype html><title>${text}</title><link rel="stylesheet" href="/a/mill.css"><p>${text}`;
    const files = (text: string): Record<string, string> => ({
      ...Object.fromEntries(Array.from({ length: 10 }, (_, n) => [`site/page-${n}.html`, page(text)])),
      'site/a/mill.css': `p { content: "${text}" }`,
      [`site/only-${text}.txt`]: text,
    });
    const home = makeProject(files('t0'), `${config().replaceAll(BUCKET, bucket)}versioned: ["a/**"]\n`);
    await cloudJson(home, 'publish', '--yes');
    await withCloud(home, 'access', 'open', '--sure', bucket);
    const next = seeded(20261126);
    let isKilled = 0;
    for (let round = 1; round <= 6; round++) {
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
      setTimeout(() => child.kill('SIGKILL'), 300 + next() * 1500);
      if ((await ended) === 'SIGKILL') isKilled++;
      for (let n = 0; n < 10; n++) {
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
      const again = await cloudJson<PublishJson>(home, 'publish', '--yes');
      expect([round, again.changes]).toEqual([round, []]);
      expect((await ask(cluster.port, `/only-t${round - 1}.txt`, { host })).status).toBe(404);
    }
    expect(isKilled).toBeGreaterThan(1);
  }, 1_200_000);
});
