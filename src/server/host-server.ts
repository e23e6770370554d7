/** node:http around the resolver: hosts every bucket of a store, one release per request. */
import { createServer, type Server } from 'node:http';
import { Socket, type AddressInfo } from 'node:net';
import type { Duplex } from 'node:stream';
import { systemCode } from '../core/errors/catalogue.js';
import { listenError } from '../core/errors/listen-error.js';
import { createHandler, type AnswerOptions } from './answer-request.js';
import { MAX_CONNECTIONS } from './bounds.js';
import { boundConnections, boundsOf, endAfterAnswers, OrderedResponse } from './connections.js';
import { keepBodies } from './send-answer.js';
import { endSilent } from './silent-connections.js';

export type { Served } from './served.js';

export interface HostServerOptions extends AnswerOptions {
  readonly host: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** A socket of this machine, for those who know its name: it is listened at in place of the port. */
  readonly socket?: string | undefined;
  /** Bytes of small bodies to keep between requests. */
  readonly cacheBytes?: number;
  /** How many of them. */
  readonly cacheBodies?: number;
  /** Milliseconds that a client may take nothing of an answer before its connection ends. */
  readonly timeoutMs?: number;
  /** Connections open at once; half of them from one client. */
  readonly connections?: number | undefined;
}

export interface RunningServer {
  readonly port: number;
  readonly host: string;
  /** Stops listening, lets what is under way finish within the grace time, then ends it. */
  close(graceMs?: number): Promise<void>;
}

const TIMEOUT_MS = 60_000;

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function startHostServer(options: HostServerOptions): Promise<RunningServer> {
  const { hosted, describeFix, annotate = false, onFailure } = options;
  const handler = createHandler(
    options,
    { hosted, bodies: keepBodies(options.cacheBytes, options.cacheBodies), describeFix, annotate, onFailure },
    () => (server.address() as AddressInfo | null)?.port ?? options.port,
  );
  const server = createServer(
    {
      ServerResponse: OrderedResponse,
      maxHeaderSize: 16 * 1024,
      headersTimeout: 10_000,
      requestTimeout: 30_000,
      // It would set and clear a timer for every request.
      keepAliveTimeout: 0,
      connectionsCheckingInterval: 2_000,
    },
    handler,
  );
  const endAnswered = boundConnections(server, boundsOf(options.connections ?? MAX_CONNECTIONS));
  endSilent(server, options.timeoutMs ?? TIMEOUT_MS);
  server.on('clientError', answerBrokenRequest);
  await listen(server, options);
  const address = server.address() as AddressInfo | string;
  const port = typeof address === 'string' ? 0 : address.port;
  return { port, host: options.host, close: (graceMs = 5_000) => closeServer(server, graceMs, endAnswered) };
}

function listen(server: Server, { host, port, socket }: HostServerOptions): Promise<void> {
  return new Promise((done, failed) => {
    server.once('error', (error) => failed(listenError(error, host, port)));
    server.listen(socket === undefined ? { port, host } : { path: socket }, done);
  });
}

function closeServer(server: Server, graceMs: number, endAnswered: () => void): Promise<void> {
  return new Promise((done) => {
    const timer = setTimeout(() => server.closeAllConnections(), graceMs);
    server.close(() => {
      clearTimeout(timer);
      done();
    });
    server.closeIdleConnections();
    endAnswered();
  });
}

/** What does not parse as HTTP gets a plain answer, when it can still be written, and the connection ends. */
function answerBrokenRequest(error: Error, socket: Socket | Duplex): void {
  if (!socket.writable || systemCode(error) === 'ECONNRESET') return void socket.destroy();
  const status =
    systemCode(error) === 'HPE_HEADER_OVERFLOW'
      ? '431 Request Header Fields Too Large'
      : systemCode(error) === 'ERR_HTTP_REQUEST_TIMEOUT'
        ? '408 Request Timeout'
        : '400 Bad Request';
  const words = `HTTP/1.1 ${status}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`;
  if (socket instanceof Socket) endAfterAnswers(socket, words);
  else socket.end(words);
}
