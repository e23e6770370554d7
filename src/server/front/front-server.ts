/** The front on the network: TLS with HTTP/2 and HTTP/1.1, and a plain port that sends everybody there. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createSecureServer, type Http2SecureServer, type ServerHttp2Session } from 'node:http2';
import type { AddressInfo, Server as NetServer, Socket } from 'node:net';
import { systemCode } from '../../core/errors/catalogue.js';
import { listenError } from '../../core/errors/listen-error.js';
import type { Front } from './front.js';
import { answerMessage, answerStream, type Sharing } from './front-answers.js';
import { FrontConnections } from './front-connections.js';
import { Ledger } from './ledger.js';

export interface FrontServerOptions {
  readonly host: string;
  /** Of https, and of what sends there; 0 takes any free one. */
  readonly port: number;
  readonly plainPort: number;
  /** As PEM, with what it was signed by behind it. */
  readonly cert: string;
  readonly key: string;
  /** Connections open at once; half of them from one address. */
  readonly connections?: number | undefined;
}

export interface RunningFront {
  readonly port: number;
  readonly plainPort: number;
  close(): Promise<void>;
}

/** Streams of one connection at once; connections; those of the plain port; bytes that go out; bytes of requests' bodies. */
const MAX_STREAMS = 128;
const [MAX_CONNECTIONS, MAX_PLAIN] = [280, 40];
const [MAX_GOING_OUT, MAX_COMING_IN] = [16 * 2 ** 20, 4 * 2 ** 20];
const CLOSING_MS = 2000;

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function startFrontServer(front: Front, options: FrontServerOptions): Promise<RunningFront> {
  const sessions = new Set<ServerHttp2Session>();
  const connections = new FrontConnections(options.connections ?? MAX_CONNECTIONS);
  const sharing: Sharing = {
    front,
    connections,
    goingOut: new Ledger(MAX_GOING_OUT),
    comingIn: new Ledger(MAX_COMING_IN),
  };
  const server = createSecureServer({
    cert: options.cert,
    key: options.key,
    allowHTTP1: true,
    maxSessionMemory: 8,
    handshakeTimeout: 10_000,
    settings: { maxConcurrentStreams: MAX_STREAMS, maxHeaderListSize: 32 * 1024, enablePush: false },
  });
  server.on('request', (request: unknown, response: unknown) =>
    answerMessage(sharing, request as IncomingMessage, response as ServerResponse),
  );
  // For whoever listens for requests every stream would be wrapped as one, which costs half of the speed.
  server.removeAllListeners('stream');
  server.on('stream', (stream, headers) => answerStream(sharing, stream, headers));
  server.on('session', (session) => {
    sessions.add(session);
    session.on('close', () => sessions.delete(session)).on('error', () => session.destroy());
  });
  const plain = createServer(
    {
      maxHeaderSize: 16 * 1024,
      headersTimeout: 10_000,
      requestTimeout: 10_000,
      connectionsCheckingInterval: 2000,
    },
    (request, response) => sendOn(request, response, () => (server.address() as AddressInfo).port),
  );
  const plainConnections = new FrontConnections(MAX_PLAIN);
  (server as NetServer).on('connection', (socket: Socket) => connections.add(socket));
  (plain as NetServer).on('connection', (socket: Socket) => plainConnections.add(socket));
  for (const each of [server, plain] as const)
    each.on('clientError', (error: Error, socket: Socket) => refuseBroken(error, socket));
  server.on('tlsClientError', () => undefined);
  try {
    await listen(server, options.port, options.host);
    await listen(plain, options.plainPort, options.host);
  } catch (error) {
    server.close();
    connections.close(0);
    plainConnections.close(0);
    throw error;
  }
  return {
    port: (server.address() as AddressInfo).port,
    plainPort: (plain.address() as AddressInfo).port,
    async close() {
      const closed = [server, plain].map(
        (each) => new Promise<void>((done) => void each.close(() => done())),
      );
      for (const session of sessions) session.close();
      connections.close(CLOSING_MS);
      plainConnections.close(CLOSING_MS);
      await Promise.all(closed);
    },
  };
}

function listen(server: Http2SecureServer | Server, port: number, host: string): Promise<void> {
  return new Promise((done, failed) => {
    server.once('error', (error: Error) => failed(listenError(error, host, port)));
    server.listen(port, host, done);
  });
}

/** What does not parse as HTTP/1.1, or did not come in time, is told so, where that can still be written. */
function refuseBroken(error: Error, socket: Socket): void {
  if (!socket.writable) return void socket.destroy();
  const isLate = systemCode(error) === 'ERR_HTTP_REQUEST_TIMEOUT';
  const status = isLate ? '408 Request Timeout' : '400 Bad Request';
  socket.end(`HTTP/1.1 ${status}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`);
}

/** From http to https, path and query kept, at the port that answers it. */
function sendOn({ headers, url = '/' }: IncomingMessage, response: ServerResponse, port: () => number): void {
  const [, host = ''] = /^([a-z0-9.-]+|\[[0-9a-f:.]+\])(?::\d+)?$/i.exec(headers.host ?? '') ?? [];
  if (host === '' || !url.startsWith('/')) {
    response.writeHead(400, { 'content-length': '0' }).end();
    return;
  }
  const at = port() === 443 ? '' : `:${port()}`;
  response.writeHead(301, { location: `https://${host}${at}${url}`, 'content-length': '0' }).end();
}
