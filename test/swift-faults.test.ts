import { createServer, request, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { FenestraError } from '../src/core/errors/catalogue.js';
import { publish, type Site } from '../src/stores/contract/kit.js';
import type { SwiftStore } from '../src/stores/swift/swift-store.js';
import { ask } from './helpers/ask.js';
import { canCluster, startCluster, type Cluster } from './helpers/cluster.js';

/** What goes wrong with one request. */
const FAULTS = [
  ...(['cut before', 'cut behind', '503', '429', '401', '500'] as const),
  ...(['truncated', 'wrong digest', 'delayed'] as const),
] as const;
type Fault = (typeof FAULTS)[number];

const TIMEOUT_MS = 2000;
const DELAY_MS = 3000;

/** Stands before the store, passes everything on, and does something to one request. */
class FaultyWay {
  readonly #server: Server;
  readonly #target: number;
  #left = -1;
  #fault: Fault = '503';
  /** Requests since the last fault was set. */
  seen = 0;

  constructor(target: number) {
    this.#target = target;
    this.#server = createServer((incoming, answer) => this.#pass(incoming, answer));
  }

  async listen(): Promise<number> {
    await new Promise<void>((done) => this.#server.listen(0, '127.0.0.1', done));
    return (this.#server.address() as AddressInfo).port;
  }

  /** @param at the number of the request that it happens to, from 0; -1 for none */
  set(at: number, fault: Fault): void {
    this.#left = at;
    this.#fault = fault;
    this.seen = 0;
  }

  async close(): Promise<void> {
    this.#server.closeAllConnections();
    await new Promise((done) => this.#server.close(done));
  }

  #pass(incoming: IncomingMessage, answer: ServerResponse): void {
    const fault = this.#left-- === 0 ? this.#fault : undefined;
    this.seen++;
    const chunks: Buffer[] = [];
    incoming.on('data', (chunk: Buffer) => chunks.push(chunk));
    incoming.on('end', () => {
      if (fault === 'cut before') return void incoming.socket.destroy();
      // Longer than it is waited for: it arrives when it was given up.
      if (fault === 'delayed') {
        setTimeout(() => this.#passOn(incoming, answer, Buffer.concat(chunks), fault), DELAY_MS);
        return;
      }
      if (fault === '503' || fault === '500' || fault === '429' || fault === '401') {
        answer.writeHead(Number(fault), { 'retry-after': '0' }).end('not now');
        return;
      }
      let body = Buffer.concat(chunks);
      // A bit turns on the way: the digest beside it is another one then.
      if (fault === 'wrong digest' && body.length > 0)
        body = Buffer.concat([Buffer.from('?'), body.subarray(1)]);
      this.#passOn(incoming, answer, body, fault);
    });
  }

  #passOn(incoming: IncomingMessage, answer: ServerResponse, body: Buffer, fault: Fault | undefined): void {
    const { method, url: path } = incoming;
    const { 'transfer-encoding': _chunked, ...headers } = incoming.headers;
    const outgoing = request(
      {
        host: '127.0.0.1',
        port: this.#target,
        method,
        path,
        headers: { ...headers, 'content-length': body.length },
      },
      (reply) => {
        const pieces: Buffer[] = [];
        reply.on('data', (piece: Buffer) => pieces.push(piece));
        reply.on('end', () => {
          if (fault === 'cut behind') return void incoming.socket.destroy();
          const said = Buffer.concat(pieces);
          const own = { ...reply.headers };
          // The account is to be reached on the same way.
          const account = own['x-storage-url'];
          if (typeof account === 'string')
            own['x-storage-url'] = account.replace(
              `:${this.#target}`,
              `:${(this.#server.address() as AddressInfo).port}`,
            );
          answer.writeHead(reply.statusCode ?? 502, own);
          if (fault === 'truncated' && said.length > 1) {
            answer.write(said.subarray(0, said.length >> 1));
            setImmediate(() => incoming.socket.destroy());
          } else answer.end(said);
        });
      },
    );
    outgoing.on('error', () => incoming.socket.destroy());
    outgoing.end(body);
  }
}

describe.runIf(canCluster())('the way to the object store', () => {
  let cluster: Cluster;
  let way: FaultyWay;
  let auth: URL;
  beforeAll(async () => {
    cluster = await startCluster();
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
      for (let at = 0; at < requests; at++) {
        const fault = FAULTS[at % FAULTS.length] ?? '503';
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
