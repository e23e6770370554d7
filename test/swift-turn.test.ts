import { afterAll, beforeAll, expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../src/core/hosting/bucket-view.js';
import { publish, type Site } from '../src/stores/contract/kit.js';
import type { SwiftStore } from '../src/stores/swift/swift-store.js';
import { ask } from './helpers/ask.js';
import { LONGER, SEED } from './helpers/chance.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { FaultyWay, TIMEOUT_MS } from './helpers/faulty-way.js';
import { describeWith } from './helpers/machine.js';

const FOLDERS = ['', 'boats/', 'posters/', 'times/', 'visit/', 'visit/map/'];
const settings: BucketSettings = {
  ...NEW_BUCKET_SETTINGS,
  documents: { index: 'index.html', error: '404.html' },
};

const page = (text: string): { text: string; headers: Record<string, string> } => ({
  text: `<!doctype html><title>Mill</title><p>${text}`,
  headers: { 'Content-Type': 'text/html; charset=utf-8' },
});
/** @param more folders beside those that every release has */
const site = (text: string, more: readonly string[] = []): Site =>
  Object.fromEntries(
    [...[...FOLDERS, ...more].map((folder) => `${folder}index.html`), '404.html', 'prices.html'].map(
      (key) => [key, page(text)],
    ),
  );

describeWith(['Swift'], 'a site that is turned at once', () => {
  let cluster: Cluster;
  let way: FaultyWay;
  beforeAll(async () => {
    cluster = await joinCluster('turn');
    way = new FaultyWay(cluster.port);
  });
  afterAll(async () => {
    await way.close();
    await cluster.stop();
  });
  const open = (auth?: URL): SwiftStore => cluster.openStore(auth, TIMEOUT_MS, true);

  /** What lies in a container, whoever knows of it. */
  async function names(container: string): Promise<string[]> {
    const { token, account } = await cluster.token();
    const listed = await fetch(`${account}/${container}`, {
      headers: { 'x-auth-token': token, 'x-newest': 'true' },
    });
    return (await listed.text()).split('\n').filter((name) => name !== '');
  }

  /** As a minute later: who was killed holds the bucket no longer. */
  async function endClaims(bucket: string): Promise<void> {
    const { token, account } = await cluster.token();
    for (const name of await names(`${bucket}.ledger`))
      if (name.startsWith('claims/'))
        await fetch(`${account}/${bucket}.ledger/${name}`, {
          method: 'DELETE',
          headers: { 'x-auth-token': token },
        });
  }

  async function publishedKeys(store: SwiftStore, bucket: string): Promise<string[]> {
    const snapshot = await store.open(bucket);
    const keys: string[] = [];
    for await (const { key } of snapshot.objects()) keys.push(key);
    expect(await snapshot.foreign?.()).toEqual([]);
    return keys;
  }

  it('shows nobody an old page once anybody has seen a new one, while it is asked for all the time', async () => {
    const bucket = 'turned-mill';
    const host = cluster.host(bucket);
    const store = open();
    await store.create(bucket, 0);
    await publish(store, site('1', ['gone/']), { bucket, settings });
    await store.changeAccess(bucket, 'open');
    const answers: { readonly begun: number; readonly ended: number; readonly text: string }[] = [];
    const paths = [...FOLDERS.map((folder) => `/${folder}`), '/no/such/page'];
    let isDone = false;
    const visitor = async (offset: number): Promise<void> => {
      for (let at = offset; !isDone; at++) {
        const begun = performance.now();
        const { body } = await ask(cluster.port, paths[at % paths.length] ?? '/', { host });
        answers.push({ begun, ended: performance.now(), text: body.toString() });
      }
    };
    const visitors = [0, 2, 4, 5].map(visitor);
    const hoursAgo = (hours: number): number => Date.now() - hours * 3_600_000;
    await publish(store, site('2'), { bucket, settings, at: hoursAgo(2) });
    isDone = true;
    await Promise.all(visitors);
    const old = page('1').text;
    const firstNew = Math.min(...answers.filter(({ text }) => text !== old).map(({ ended }) => ended));
    expect(new Set(answers.map(({ text }) => text))).toEqual(new Set([old, page('2').text]));
    expect(answers.filter(({ begun, text }) => begun > firstNew && text === old)).toEqual([]);
    // Addresses that name a file follow, and what is gone is gone.
    for (const [path, status, text] of [
      ['/visit/index.html', 200, '2'],
      ['/prices.html', 200, '2'],
      ['/gone/', 404, '2'],
      ['/gone/index.html', 404, '2'],
    ] as const)
      expect([path, await answerOf(path)]).toEqual([path, [status, page(text).text]]);
    async function answerOf(path: string): Promise<readonly [number, string]> {
      const { status, body } = await ask(cluster.port, path, { host });
      return [status, body.toString()];
    }
    expect(await publishedKeys(store, bucket)).toEqual(Object.keys(site('2')).sort());
    // The release before keeps its names for as long as a proxy may remember them; the one before that does not.
    await publish(store, site('3'), { bucket, settings, at: hoursAgo(1) });
    expect((await names(bucket)).filter((name) => name.startsWith('visit/map/'))).toEqual(
      ['html', 'r2.html', 'r3.html'].map((end) => `visit/map/index.${end}`),
    );
    await publish(store, site('4'), { bucket, settings });
    expect((await names(bucket)).filter((name) => /^(visit|gone)\/index|^40/.test(name))).toEqual(
      [
        '401r3.html',
        '401r4.html',
        '404.html',
        '404r3.html',
        '404r4.html',
        'visit/index.html',
        'visit/index.r3.html',
        'visit/index.r4.html',
      ].sort(),
    );
    // A bucket that is closed and opened goes on answering as it was turned.
    await store.changeAccess(bucket, 'closed');
    await store.changeAccess(bucket, 'open');
    expect(await answerOf('/visit/')).toEqual([200, page('4').text]);
    // Where no page of a folder changes nothing has to be turned.
    const { 'prices.html': _prices, ...without } = site('4');
    await publish(store, without, { bucket, settings });
    expect((await names(bucket)).filter((name) => name.includes('r5'))).toEqual([]);
    // Without the setting the documents are the site's own again.
    const plain = cluster.openStore();
    await publish(plain, site('6'), { bucket, settings });
    expect(await answerOf('/visit/')).toEqual([200, page('6').text]);
    expect(await answerOf('/no/such/page')).toEqual([404, page('6').text]);
    await plain.close();
    await store.close();
  });

  it(
    'may be left at any request: the next publish, of that or of what was before, completes',
    { timeout: 900_000 },
    async () => {
      const bucket = 'left-mill';
      const host = cluster.host(bucket);
      const auth = new URL(cluster.auth);
      auth.port = String(await way.listen());
      const first = open(auth);
      await first.create(bucket, 0);
      await publish(first, site('a'), { bucket, settings });
      await first.changeAccess(bucket, 'open');
      way.set(-1, '503');
      await publish(first, site('b', ['new/']), { bucket, settings });
      const requests = way.seen;
      expect(requests).toBeGreaterThan(30);
      await first.close();
      const versions = { a: site('a'), b: site('b', ['new/']) };
      let now: 'a' | 'b' = 'b';
      // In a short run a sixth of the moments, another one each time.
      const step = LONGER > 1 ? 1 : 6;
      for (let at = 4 + (SEED % step); at < requests; at += step) {
        const next: 'a' | 'b' = now === 'a' ? 'b' : 'a';
        const killed = open(auth);
        way.refuseFrom(at);
        await publish(killed, versions[next], { bucket, settings }).catch(() => undefined);
        way.set(-1, '503');
        await killed.close();
        const where = `left at request ${at} of ${requests}`;
        const seen = new Set<string>();
        for (const folder of FOLDERS) {
          const { status, body } = await ask(cluster.port, `/${folder}`, { host });
          expect([where, status]).toEqual([where, 200]);
          seen.add(body.toString());
        }
        expect([where, seen.size]).toEqual([where, 1]);
        // Half of the time what was before is published again.
        const then: 'a' | 'b' = Math.floor(at / step) % 2 === 0 ? next : now;
        const store = open(auth);
        await endClaims(bucket);
        await publish(store, versions[then], { bucket, settings });
        for (const folder of FOLDERS)
          for (const path of [`/${folder}`, `/${folder}index.html`])
            expect([where, (await ask(cluster.port, path, { host })).body.toString()]).toEqual([
              where,
              page(then).text,
            ]);
        expect((await ask(cluster.port, '/new/', { host })).status).toBe(then === 'b' ? 200 : 404);
        expect(await publishedKeys(store, bucket)).toEqual(Object.keys(versions[then]).sort());
        await store.close();
        now = then;
      }
    },
  );
});
