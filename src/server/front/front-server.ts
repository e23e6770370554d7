/** The front on the network: TLS with HTTP/2 and HTTP/1.1, and a plain port that sends everybody there. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import {
  constants,
  createSecureServer,
  type Http2SecureServer,
  type IncomingHttpHeaders,
  type ServerHttp2Session,
  type ServerHttp2Stream,
} from 'node:http2';
import type { AddressInfo, Server as NetServer, Socket } from 'node:net';
import { pipeline, type Readable } from 'node:stream';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import type { FrontRequest } from '../../core/caching/shared-cache.js';
import type { Front, FrontAnswer } from './front.js';
import { beginRequest, FrontConnections, type Connection } from './front-connections.js';
import { readFrontUrl } from './front-url.js';
import { Ledger } from './ledger.js';
import { readRequestBody } from './request-body.js';
import { OWN_VISIT, type Visit } from './visitor.js';

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

/** What all connections share. */
interface Sharing {
  readonly front: Front;
  readonly connections: FrontConnections;
  readonly goingOut: Ledger;
  readonly comingIn: Ledger;
}

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
    each.on('clientError', (_error: Error, socket: Socket) => refuseBroken(socket));
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
    server.once('error', (error: Error) =>
      failed(
        systemCode(error) === 'EADDRINUSE'
          ? new FenestraError('PORT_IN_USE', { port, host }, error)
          : new FenestraError('LISTEN_FAILED', { host, port, reason: reasonInWords(error) }, error),
      ),
    );
    server.listen(port, host, done);
  });
}

function plainHeaders(headers: IncomingHttpHeaders): Record<string, string> {
  const plain: Record<string, string> = {};
  for (const name in headers) {
    const value = headers[name];
    if (value === undefined || name.startsWith(':')) continue;
    plain[name] = typeof value === 'string' ? value : value.join(name === 'cookie' ? '; ' : ', ');
  }
  return plain;
}

/** What does not parse as HTTP/1.1 is told so, where that can still be written. */
function refuseBroken(socket: Socket): void {
  if (!socket.writable) return void socket.destroy();
  socket.end('HTTP/1.1 400 Bad Request\r\nContent-Length: 0\r\nConnection: close\r\n\r\n');
}

/** One request, whatever its connection is made of. */
interface Asked {
  readonly method: string;
  readonly authority: string;
  readonly target: string;
  readonly headers: Record<string, string>;
  readonly visit: Visit;
  /** Its body; undefined where it has none. */
  readonly source: Readable | undefined;
}

/** Sends an answer. @param cut ends it half-way */
type Respond = (answer: FrontAnswer) => void;

const EMPTY = Buffer.alloc(0);
const refusal = (status: number): FrontAnswer => ({
  status,
  headers: { 'content-length': '0' },
  body: EMPTY,
});

function pass({ front, comingIn }: Sharing, asked: Asked, respond: Respond): void {
  const { method, headers, visit, source } = asked;
  const url = readFrontUrl(asked.authority, asked.target);
  if (url === undefined) return respond(refusal(400));
  headers['host'] = url.host;
  const request: FrontRequest = { method, url: url.href, headers };
  if (source)
    return void passBody(front, request, readRequestBody(source, visit.visitor, comingIn), visit, respond);
  const answer = front.answer(request, undefined, visit);
  if (answer instanceof Promise) void answer.then(respond);
  else respond(answer);
}

async function passBody(
  front: Front,
  request: FrontRequest,
  reading: ReturnType<typeof readRequestBody>,
  visit: Visit,
  respond: Respond,
): Promise<void> {
  const body = await reading;
  respond(typeof body === 'number' ? refusal(body) : await front.answer(request, body, visit));
}

const HAVE_NO_BODY: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS']);

const visitorOf = ({ connections }: Sharing, socket: Socket | undefined): Connection | undefined =>
  socket && connections.find(socket);

function answerStream(sharing: Sharing, stream: ServerHttp2Stream, asked: IncomingHttpHeaders): void {
  stream.on('error', () => stream.destroy());
  const method = String(asked[':method']);
  const headers = plainHeaders(asked);
  const connection = visitorOf(sharing, stream.session?.socket as Socket | undefined);
  const visitor = connection ?? OWN_VISIT.visitor;
  stream.once('close', beginRequest(connection));
  const request: Asked = {
    method,
    authority: String(asked[':authority'] ?? headers['host'] ?? ''),
    target: String(asked[':path']),
    headers,
    visit: { visitor, isGone: () => stream.closed || stream.destroyed },
    source: HAVE_NO_BODY.has(method) ? undefined : stream,
  };
  pass(sharing, request, (answer) => {
    const { status, headers: own, body } = answer;
    if (stream.destroyed || stream.closed) return letGo(body);
    if (body === undefined || (Buffer.isBuffer(body) && body.length === 0))
      return stream.respond({ ':status': status, ...own }, { endStream: true });
    if (Buffer.isBuffer(body)) {
      const cut = (): void => stream.close(constants.NGHTTP2_ENHANCE_YOUR_CALM);
      const giveBack = sharing.goingOut.take({ visitor, bytes: body.length, shared: body, cut });
      if (!giveBack) return stream.respond({ ':status': 503, 'retry-after': '1' }, { endStream: true });
      stream.once('close', giveBack);
      stream.respond({ ':status': status, ...own });
      stream.end(body);
      return;
    }
    stream.respond({ ':status': status, ...own });
    pipeline(body, stream, () => undefined);
  });
}

const letGo = (body: FrontAnswer['body']): void => {
  if (body && !Buffer.isBuffer(body)) body.destroy();
};

function answerMessage(sharing: Sharing, message: IncomingMessage, response: ServerResponse): void {
  const { method = 'GET', url: target = '/' } = message;
  const headers = plainHeaders(message.headers);
  const connection = visitorOf(sharing, message.socket);
  const visitor = connection ?? OWN_VISIT.visitor;
  response.once('close', beginRequest(connection));
  const hasBody = (message.headers['content-length'] ?? message.headers['transfer-encoding']) !== undefined;
  const request: Asked = {
    method,
    authority: headers['host'] ?? '',
    target,
    headers,
    visit: { visitor, isGone: () => response.destroyed },
    source: HAVE_NO_BODY.has(method) || !hasBody ? undefined : message,
  };
  pass(sharing, request, ({ status, headers: own, body }) => {
    if (response.destroyed) return letGo(body);
    if (Buffer.isBuffer(body)) {
      const cut = (): void => void response.destroy();
      const giveBack = sharing.goingOut.take({ visitor, bytes: body.length, shared: body, cut });
      if (!giveBack) {
        response.writeHead(503, { 'retry-after': '1', 'content-length': '0' }).end();
        return;
      }
      response.once('close', giveBack);
      response.writeHead(status, own).end(body);
      return;
    }
    response.writeHead(status, own);
    if (body === undefined) response.end();
    else pipeline(body, response, () => undefined);
  });
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
