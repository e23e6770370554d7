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
import { pipeline } from 'node:stream';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import type { FrontRequest } from '../../core/caching/shared-cache.js';
import type { Front, FrontAnswer } from './front.js';

export interface FrontServerOptions {
  readonly host: string;
  /** Of https, and of what sends there; 0 takes any free one. */
  readonly port: number;
  readonly plainPort: number;
  /** As PEM, with what it was signed by behind it. */
  readonly cert: string;
  readonly key: string;
}

export interface RunningFront {
  readonly port: number;
  readonly plainPort: number;
  close(): Promise<void>;
}

/** Streams of one connection at once, connections, bytes of a request's body, and how long nothing may happen. */
const [MOST_STREAMS, MOST_CONNECTIONS, MOST_SENT, IDLE_MS] = [256, 1000, 2 ** 20, 60_000];

type Respond = (answer: FrontAnswer) => void;

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function startFrontServer(front: Front, options: FrontServerOptions): Promise<RunningFront> {
  const sessions = new Set<ServerHttp2Session>();
  const sockets = new Set<Socket>();
  const server = createSecureServer({
    cert: options.cert,
    key: options.key,
    allowHTTP1: true,
    maxSessionMemory: 16,
    settings: { maxConcurrentStreams: MOST_STREAMS, enablePush: false },
  });
  server.on('request', (request: unknown, response: unknown) =>
    answerMessage(front, request as IncomingMessage, response as ServerResponse),
  );
  // For whoever listens for requests every stream would be wrapped as one, which costs half of the speed.
  server.removeAllListeners('stream');
  server.on('stream', (stream, headers) => answerStream(front, stream, headers));
  server.on('session', (session) => {
    sessions.add(session);
    session.on('close', () => sessions.delete(session)).on('error', () => session.destroy());
    session.setTimeout(IDLE_MS, () => session.close());
  });
  const plain = createServer({ maxHeaderSize: 16 * 1024, headersTimeout: 10_000 }, (request, response) =>
    sendOn(request, response, () => (server.address() as AddressInfo).port),
  );
  for (const each of [server, plain] as const) {
    (each as NetServer).maxConnections = MOST_CONNECTIONS;
    each.on('connection', (socket: Socket) => {
      sockets.add(socket);
      socket.on('close', () => sockets.delete(socket)).on('error', () => socket.destroy());
    });
    each.on('clientError', (_error: Error, socket: Socket) => socket.destroy());
  }
  server.on('tlsClientError', () => undefined);
  try {
    await listen(server, options.port, options.host);
    await listen(plain, options.plainPort, options.host);
  } catch (error) {
    server.close();
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
      for (const socket of sockets) socket.destroySoon();
      const timer = setTimeout(() => sockets.forEach((socket) => socket.destroy()), 2000);
      await Promise.all(closed);
      clearTimeout(timer);
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

/** Default ports are not written (RFC 9110 section 4.2.3); the host's letters do not count. */
const urlOf = (authority: string, target: string): string =>
  `https://${authority.toLowerCase().replace(/\.?(?::443)?$/, '')}${target.startsWith('/') ? target : '/'}`;

function plainHeaders(headers: IncomingHttpHeaders): Record<string, string> {
  const plain: Record<string, string> = {};
  for (const name in headers) {
    const value = headers[name];
    if (value === undefined || name.startsWith(':')) continue;
    plain[name] = typeof value === 'string' ? value : value.join(name === 'cookie' ? '; ' : ', ');
  }
  return plain;
}

/** @param read takes the body of the request, which few have */
function pass(
  front: Front,
  request: FrontRequest,
  read: (() => Promise<Buffer | undefined>) | undefined,
  respond: Respond,
): void {
  if (read) {
    read().then(
      (body) =>
        body === undefined
          ? respond({ status: 413, headers: { 'content-length': '0' }, body: Buffer.alloc(0) })
          : void Promise.resolve(front.answer(request, body)).then(respond),
      () => undefined,
    );
    return;
  }
  const answer = front.answer(request, undefined);
  if (answer instanceof Promise) void answer.then(respond);
  else respond(answer);
}

async function readBody(source: AsyncIterable<Buffer>): Promise<Buffer | undefined> {
  const pieces: Buffer[] = [];
  let bytes = 0;
  for await (const piece of source) {
    bytes += piece.length;
    if (bytes > MOST_SENT) return undefined;
    pieces.push(piece);
  }
  return Buffer.concat(pieces);
}

const HAVE_NO_BODY: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS']);

function answerStream(front: Front, stream: ServerHttp2Stream, asked: IncomingHttpHeaders): void {
  stream.on('error', () => stream.destroy());
  const method = String(asked[':method']);
  const headers = plainHeaders(asked);
  const authority = String(asked[':authority'] ?? headers['host'] ?? '');
  headers['host'] = authority;
  const request = { method, url: urlOf(authority, String(asked[':path'])), headers };
  const read = HAVE_NO_BODY.has(method) ? undefined : () => readBody(stream);
  pass(front, request, read, ({ status, headers: own, body }) => {
    if (stream.destroyed || stream.closed) {
      if (body && !Buffer.isBuffer(body)) body.destroy();
      return;
    }
    const head = { ':status': status, ...own };
    if (body === undefined) return stream.respond(head, { endStream: true });
    stream.respond(head);
    if (Buffer.isBuffer(body)) stream.end(body);
    else {
      stream.setTimeout(IDLE_MS, () => stream.close(constants.NGHTTP2_CANCEL));
      pipeline(body, stream, () => undefined);
    }
  });
}

function answerMessage(front: Front, message: IncomingMessage, response: ServerResponse): void {
  const { method = 'GET', url: target = '/' } = message;
  const headers = plainHeaders(message.headers);
  const read =
    HAVE_NO_BODY.has(method) ||
    (message.headers['content-length'] ?? message.headers['transfer-encoding']) === undefined
      ? undefined
      : () => readBody(message);
  pass(front, { method, url: urlOf(headers['host'] ?? '', target), headers }, read, (answer) => {
    const { status, headers: own, body } = answer;
    if (response.destroyed) {
      if (body && !Buffer.isBuffer(body)) body.destroy();
      return;
    }
    response.writeHead(status, own);
    if (body === undefined || Buffer.isBuffer(body)) response.end(body);
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
