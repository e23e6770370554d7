/** A store elsewhere that chooses at each request how to harm whoever asks: each command ends, in time, with a word on it. */
import { createServer, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { it } from 'vitest';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { NEW_BUCKET_SETTINGS } from '../../src/core/hosting/bucket-view.js';
import { SwiftStore } from '../../src/stores/swift/swift-store.js';
import { SEED } from '../helpers/chance.js';
import { Attack } from './attack-kit.js';

/** Milliseconds within which a call has to end: all its tries, each as slow as may be. */
const MAX_MS = 15_000;
const NAMES = ['mill', 'mill.ledger', 'a', 'a/b', '__proto__', '\u0000', 'x'.repeat(2000), '../up', 'é'];

it(`hostile stores do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('hostile object stores', 24);
  const open = new Set<ServerResponse>();
  const drip = (response: ServerResponse, piece: string, every: number): void => {
    const timer = setInterval(() => response.write(piece), every);
    response.on('close', () => clearInterval(timer));
  };
  const bodies: readonly (() => string)[] = [
    () => '',
    () => '[null]',
    () => 'null',
    () => '{}',
    () => '[[[[',
    () => '[{"name":7}]',
    () => JSON.stringify([{ name: attack.pick(NAMES), bytes: attack.pick([1, -1, 1e308, 'x']), hash: 'a' }]),
    () => JSON.stringify(Array.from({ length: 10_000 }, (_, n) => ({ name: `n${n}`, bytes: 1, hash: 'a' }))),
    () => JSON.stringify({ release: attack.pick([1, -1, 'x', null]), settings: attack.pick([null, 7, {}]) }),
    () => '\u0000\u001b[2J',
  ];
  const server = createServer((request, response) => {
    request.resume();
    open.add(response);
    response.on('close', () => open.delete(response)).on('error', () => undefined);
    const own = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    if (request.url === '/auth/v1.0' && attack.below(20) > 0)
      return void response.writeHead(200, { 'x-storage-url': `${own}/v1/a`, 'x-auth-token': 't' }).end();
    const headers = {
      'retry-after': attack.pick(['0', '0', '-1', 'soon']),
      ...attack.pick([
        {},
        { etag: attack.pick(['"a"', 'a', '', 'é'.normalize('NFD').slice(0, 1)]) },
        { 'x-container-object-count': attack.pick(['1e9', '-1', 'x']), 'x-container-read': '.r:*' },
        { 'content-length': attack.pick(['3', '99999999']) },
        { 'last-modified': attack.pick(['never', 'Sun, 01 Nov 2026 00:00:00 GMT']) },
        { 'x-object-meta-fenestra': attack.pick(['{', 'null', '[]']) },
      ]),
    };
    const kind = attack.below(20);
    if (kind === 0) return void request.socket.destroy();
    if (kind === 1) return;
    response.writeHead(
      attack.pick([200, 200, 200, 200, 201, 202, 204, 204, 404, 404, 409, 401, 403, 500]),
      headers,
    );
    if (kind === 2) return drip(response, ' ', 10);
    if (kind === 3) return drip(response, 'x'.repeat(1 << 18), 1);
    response.end(attack.pick(bodies)());
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  const store = (): SwiftStore =>
    new SwiftStore({
      store: 'cloud',
      auth: new URL(`http://127.0.0.1:${port}/auth/v1.0`),
      credentials: { kind: 'password', user: 'u', key: 'k', userDomain: 'Default', projectDomain: 'Default' },
      region: undefined,
      interface: 'public',
      timeoutMs: 100,
      tries: 2,
    });
  const calls: Readonly<Record<string, (own: SwiftStore) => Promise<unknown>>> = {
    buckets: (own) => own.buckets(),
    bucket: (own) => own.bucket('mill'),
    create: (own) => own.create('mill-new', Date.now()),
    access: (own) => own.changeAccess('mill', 'closed'),
    remove: (own) => own.remove('mill'),
    releases: async (own) => own.releases?.('mill'),
    read: async (own) => {
      const snapshot = await own.open('mill');
      for await (const object of snapshot.objects()) for await (const _piece of snapshot.read(object)) break;
      await snapshot.foreign?.();
      await snapshot.close();
    },
    publish: async (own) => {
      const publication = await own.begin('mill', {
        base: 0,
        by: 'x',
        note: '',
        totals: { add: 0, replace: 0, relabel: 0, remove: 0, keep: 0, bytes: 0 },
        settings: NEW_BUCKET_SETTINGS,
        put: [],
        remove: [],
      });
      try {
        await publication.commit(Date.now());
      } finally {
        await publication.abandon();
      }
    },
  };
  let [slowest, most] = [0, 0];
  for (let round = 0; round < attack.rounds; round++) {
    const own = store();
    const name = attack.pick(Object.keys(calls));
    const began = performance.now();
    const late = new Promise<string>((done) => setTimeout(() => done('LATE'), MAX_MS).unref());
    const said = await Promise.race([
      late,
      (calls[name]?.(own) ?? Promise.resolve()).then(
        () => 'done',
        (error: unknown) =>
          error instanceof FenestraError ? `said: ${error.code}` : `threw ${String(error)}`,
      ),
    ]);
    slowest = Math.max(slowest, performance.now() - began);
    most = Math.max(most, process.memoryUsage.rss() / 2 ** 20);
    if (said === 'LATE') attack.harm(`${name} goes on and on`);
    else if (said.startsWith('threw')) attack.harm(`${name} ${said}`);
    else attack.note(said);
    for (const response of open) response.destroy();
    await own.close().catch(() => undefined);
  }
  server.closeAllConnections();
  server.close();
  attack.finish({
    'longest call': `${(slowest / 1000).toFixed(1)} s`,
    'most memory of both sides': `${most.toFixed(0)} MB`,
  });
});
