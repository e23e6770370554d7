/**
 * A relay before a server of our own that notes every answer as it goes over the wire. It can put the clock of the
 * server back, so that what a browser keeps of its answers has the age of a visit long ago.
 */
import {
  Agent,
  createServer,
  request as sendRequest,
  type IncomingMessage,
  type ServerResponse,
} from 'node:http';
import type { AddressInfo } from 'node:net';
import { DATE_CONDITIONS, isConditional, isOfMoment } from '../core/caching/request-fields.js';
import { formatHttpDate, parseHttpDate } from '../core/caching/http-date.js';
import { headBytes } from './head.js';

export interface Relayed {
  readonly target: string;
  readonly status: number;
  /** Of the answer, its head included. */
  readonly bytes: number;
  /** Whether the browser asked with what it kept. */
  readonly conditional: boolean;
}

export interface Relay {
  readonly port: number;
  /** Takes what was noted so far, in the order in which it was asked for. */
  take(): Relayed[];
  /** Whether an answer is under way. */
  isBusy(): boolean;
  /** When something last happened, by the clock of `performance`. */
  lastAt(): number;
  /** Seconds by which the server's clock is put back from now on. */
  putBack(seconds: number): void;
  close(): Promise<void>;
}

const DATED = new Set(['date', 'last-modified', 'expires']);

/** @param to the port of the server, on this machine */
export async function startRelay(to: number): Promise<Relay> {
  const agent = new Agent({ keepAlive: true, maxSockets: 64 });
  const noted: (Relayed | undefined)[] = [];
  let [busy, lastAt, shift] = [0, performance.now(), 0];
  const server = createServer((incoming, response) => {
    const place = noted.push(undefined) - 1;
    busy++;
    lastAt = performance.now();
    const by = shift * 1000;
    response.on('close', () => {
      busy--;
      lastAt = performance.now();
    });
    const outgoing = sendRequest(
      {
        port: to,
        host: '127.0.0.1',
        agent,
        method: incoming.method,
        path: incoming.url,
        headers: moveConditions(incoming, by),
      },
      (answer) => pass(answer, incoming, response, by, (relayed) => (noted[place] = relayed)),
    );
    outgoing.on('error', () => response.destroy());
    incoming.pipe(outgoing);
  });
  await new Promise<void>((done, failed) => {
    server.once('error', failed);
    server.listen(0, '127.0.0.1', done);
  });
  return {
    port: (server.address() as AddressInfo).port,
    take: () => noted.splice(0).filter((each) => each !== undefined),
    isBusy: () => busy > 0,
    lastAt: () => lastAt,
    putBack: (seconds) => (shift = seconds),
    async close() {
      agent.destroy();
      server.closeAllConnections();
      await new Promise<void>((done) => server.close(() => done()));
    },
  };
}

function pass(
  answer: IncomingMessage,
  incoming: IncomingMessage,
  response: ServerResponse,
  by: number,
  note: (relayed: Relayed) => void,
): void {
  const status = answer.statusCode ?? 0;
  const headers = moveDates(answer.rawHeaders, by);
  const own = headers.filter((_, at) => !isOfMoment((headers[at - (at % 2)] ?? '').toLowerCase()));
  // The rest it counts by itself.
  let bytes = headBytes(status, own);
  const conditional = isConditional(incoming.headers);
  const tell = (): void => note({ target: incoming.url ?? '/', status, bytes, conditional });
  tell();
  response.sendDate = false;
  response.writeHead(
    status,
    headers.filter((_, at) => (headers[at - (at % 2)] ?? '').toLowerCase() !== 'connection'),
  );
  answer.on('data', (chunk: Buffer) => {
    bytes += chunk.length;
    tell();
  });
  answer.on('error', () => response.destroy());
  answer.pipe(response);
}

const moveDates = (headers: readonly string[], by: number): string[] =>
  headers.map((value, at) =>
    at % 2 === 1 && DATED.has((headers[at - 1] ?? '').toLowerCase()) ? moved(value, -by) : value,
  );

function moveConditions(
  incoming: IncomingMessage,
  by: number,
): Record<string, string | string[] | undefined> {
  const headers = { ...incoming.headers };
  for (const name of DATE_CONDITIONS) {
    const value = headers[name];
    if (typeof value === 'string') headers[name] = moved(value, by);
  }
  return headers;
}

function moved(value: string, by: number): string {
  const date = parseHttpDate(value);
  return date === undefined || by === 0 ? value : formatHttpDate(date + by);
}
