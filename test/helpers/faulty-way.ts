/** What stands between a program and a store and lets something go wrong. */
import { createServer, request, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** What goes wrong with one request. */
export const FAULTS = [
  ...(['cut before', 'cut behind', '503', '429', '401', '500'] as const),
  ...(['truncated', 'wrong digest', 'delayed'] as const),
] as const;
export type Fault = (typeof FAULTS)[number];

/** After which a test gives a request up. */
export const TIMEOUT_MS = 2000;
const DELAY_MS = 3000;

/** Stands before the store, passes everything on, and does something to one request. */
export class FaultyWay {
  readonly #server: Server;
  readonly #target: number;
  #left = -1;
  #fault: Fault = '503';
  #refusesFrom = Infinity;
  /** Requests since the last fault was set. */
  seen = 0;
  /** Bodies that were sent through it, in order. */
  readonly sent: { readonly method: string; readonly path: string; readonly body: Buffer }[] = [];

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
    this.#refusesFrom = Infinity;
    this.seen = 0;
  }

  /** As if whoever asks had been killed: from some request on everything is refused, and not asked for again. */
  refuseFrom(at: number): void {
    this.set(-1, '503');
    this.#refusesFrom = at;
  }

  async close(): Promise<void> {
    this.#server.closeAllConnections();
    await new Promise((done) => this.#server.close(done));
  }

  #pass(incoming: IncomingMessage, answer: ServerResponse): void {
    const fault = this.#left-- === 0 ? this.#fault : undefined;
    const isRefused = this.seen++ >= this.#refusesFrom;
    const chunks: Buffer[] = [];
    incoming.on('data', (chunk: Buffer) => chunks.push(chunk));
    incoming.on('end', () => {
      if (isRefused) return void answer.writeHead(403).end();
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
      if (body.length > 0) this.sent.push({ method: incoming.method ?? '', path: incoming.url ?? '', body });
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
