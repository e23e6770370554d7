import { afterAll, beforeAll, expect, it } from 'vitest';
import { FenestraError } from '../src/core/errors/catalogue.js';
import { publish, type Site } from '../src/stores/contract/kit.js';
import type { SwiftStore } from '../src/stores/swift/swift-store.js';
import { ask } from './helpers/ask.js';
import { LONGER, SEED } from './helpers/chance.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { FAULTS, FaultyWay, TIMEOUT_MS } from './helpers/faulty-way.js';
import { describeWith } from './helpers/machine.js';

describeWith(['Swift'], 'the way to the object store', () => {
  let cluster: Cluster;
  let way: FaultyWay;
  let auth: URL;
  beforeAll(async () => {
    cluster = await joinCluster('faults');
    way = new FaultyWay(cluster.port);
    auth = new URL(cluster.auth);
    auth.port = String(await way.listen());
  });
  afterAll(async () => {
    await way.close();
    await cluster.stop();
  });

  const page = (text: string): { text: string; headers: Record<string, string> } => ({
    text: `<!doctype html><title>Mill</title><link rel="stylesheet" href="/mill.css"><p>${text}`,
    headers: { 'Content-Type': 'text/html; charset=utf-8' },
  });
  const site = (text: string): Site => ({
    'index.html': page(text),
    'visit/index.html': page(text),
    'mill.css': `p { content: "${text}" }`,
    ...(text === 'a' ? { 'old.txt': 'only of the first' } : { 'new.txt': 'only of the second' }),
  });

  it(
    'may fail at any request of a publish: nothing wrong is ever public, and the next publish completes',
    { timeout: 900_000 },
    async () => {
      const bucket = 'faulty-mill';
      const host = cluster.host(bucket);
      const open = (): SwiftStore => cluster.openStore(auth, TIMEOUT_MS);
      const first = open();
      await first.create(bucket, 0);
      await publish(first, site('a'), { bucket });
      await first.changeAccess(bucket, 'open');
      way.set(-1, '503');
      await publish(first, site('b'), { bucket });
      const requests = way.seen;
      expect(requests).toBeGreaterThan(20);
      await first.close();
      let texts = ['b', 'a'];
      // In a short run a third of the moments, another one each time.
      const step = LONGER > 1 ? 1 : 3;
      for (let at = SEED % step; at < requests; at += step) {
        const fault = FAULTS[(at + SEED) % FAULTS.length] ?? '503';
        const [was = '', becomes = ''] = texts;
        const store = open();
        way.set(at, fault);
        let failure: unknown;
        try {
          await publish(store, site(becomes), { bucket });
        } catch (error) {
          failure = error;
        }
        const where = `${fault} at request ${at} of ${requests}`;
        if (failure !== undefined) expect([where, failure instanceof FenestraError]).toEqual([where, true]);
        way.set(-1, fault);
        // Every public page finds all that it loads, and no bytes are public that nobody published.
        for (const path of ['/', '/visit/', '/mill.css']) {
          const { status, body } = await ask(cluster.port, path, { host });
          const allowed = [was, becomes].map((text) =>
            path === '/mill.css' ? `p { content: "${text}" }` : page(text).text,
          );
          expect([where, path, status, allowed.includes(body.toString())]).toEqual([where, path, 200, true]);
        }
        await publish(store, site(becomes), { bucket });
        const snapshot = await store.open(bucket);
        const keys: string[] = [];
        for await (const { key } of snapshot.objects()) keys.push(key);
        expect([where, keys]).toEqual([where, Object.keys(site(becomes)).sort()]);
        expect((await ask(cluster.port, '/', { host })).body.toString()).toBe(page(becomes).text);
        await store.close();
        texts = [becomes, was];
      }
    },
  );
});
