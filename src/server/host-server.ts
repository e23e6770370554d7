/** node:http around the resolver: hosts every bucket of a store, one release per request. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { pipeline, type Duplex } from 'node:stream';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { headerOf, type Answer, type WebRequest } from '../core/hosting/answer.js';
import { decideFix, type Fix } from '../core/hosting/diagnose.js';
import { resolveHost } from '../core/hosting/host.js';
import { renderNotice } from '../core/hosting/notice-page.js';
import { resolve } from '../core/hosting/resolve.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { StoredObject } from '../core/site/site-object.js';
import { LRUCache } from 'lru-cache';
import { renderFrontPage } from './front-page.js';
import type { Hosted } from './hosted.js';
import { endSlowReaders } from './slow-readers.js';
import { ViewCache } from './view-cache.js';

/** One answered request, for a log. */
export interface Served {
  readonly at: number;
  readonly method: string;
  readonly host: string;
  readonly target: string;
  readonly bucket: string;
  readonly status: number;
  readonly reason: string;
  readonly key?: string;
  readonly because?: string;
  /** Bytes of body that were sent. */
  readonly bytes: number;
  readonly milliseconds: number;
  /** Whether the body went out whole. */
  readonly complete: boolean;
  readonly headers: readonly string[];
}

export interface HostServerOptions {
  readonly hosted: Hosted;
  readonly host: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Bytes of small bodies to keep between requests. */
  readonly cacheBytes?: number;
  /** Says in words what would help, on the emulation's own pages. */
  readonly describeFix?: (fix: Fix) => string;
  /** Adds a header that names the reason. */
  readonly annotate?: boolean;
  /** Milliseconds that a client may take nothing of an answer before its connection ends. */
  readonly timeoutMs?: number;
  readonly onServed?: (served: Served) => void;
  /** Told of failures that only the server's own side can explain. */
  readonly onFailure?: (error: unknown) => void;
}

export interface RunningServer {
  readonly port: number;
  readonly host: string;
  /** Stops listening, lets what is under way finish within the grace time, then ends it. */
  close(graceMs?: number): Promise<void>;
}

/** Small bodies by their digest, the least recently used given up first. */
type BodyCache = LRUCache<string, Buffer>;

const SMALL = 256 * 1024;
const TIMEOUT_MS = 60_000;
const CACHE_BYTES = 48 * 2 ** 20;

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function startHostServer(options: HostServerOptions): Promise<RunningServer> {
  const handler = createHandler(
    options,
    () => (server.address() as AddressInfo | null)?.port ?? options.port,
  );
  const server = createServer(
    {
      maxHeaderSize: 16 * 1024,
      headersTimeout: 10_000,
      requestTimeout: 30_000,
      keepAliveTimeout: 5_000,
      connectionsCheckingInterval: 2_000,
    },
    handler,
  );
  endSlowReaders(server, options.timeoutMs ?? TIMEOUT_MS);
  server.on('clientError', answerBrokenRequest);
  await listen(server, options);
  const { port } = server.address() as AddressInfo;
  return { port, host: options.host, close: (graceMs = 5_000) => closeServer(server, graceMs) };
}

function listen(server: Server, { host, port }: HostServerOptions): Promise<void> {
  return new Promise((done, failed) => {
    server.once('error', (error) => {
      const code = systemCode(error);
      failed(
        code === 'EADDRINUSE'
          ? new FenestraError('PORT_IN_USE', { port, host }, error)
          : new FenestraError('LISTEN_FAILED', { host, port, reason: code ?? error.message }, error),
      );
    });
    server.listen(port, host, done);
  });
}

function closeServer(server: Server, graceMs: number): Promise<void> {
  return new Promise((done) => {
    const timer = setTimeout(() => server.closeAllConnections(), graceMs);
    server.close(() => {
      clearTimeout(timer);
      done();
    });
    server.closeIdleConnections();
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
  socket.end(`HTTP/1.1 ${status}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`);
}

function createHandler(
  options: HostServerOptions,
  port: () => number,
): (request: IncomingMessage, response: ServerResponse) => void {
  const { hosted } = options;
  const bodies: BodyCache = new LRUCache({
    maxSize: options.cacheBytes ?? CACHE_BYTES,
    // One body may not push out most others.
    maxEntrySize: Math.ceil((options.cacheBytes ?? CACHE_BYTES) / 8),
    sizeCalculation: ({ length }) => Math.max(1, length),
  });
  const views = new ViewCache(hosted);

  return (request, response) => {
    const began = options.onServed ? performance.now() : 0;
    const web: WebRequest = {
      method: request.method ?? 'GET',
      target: request.url ?? '/',
      headers: request.headers,
    };
    try {
      views.look();
      const verdict = views.resolveHost(hostOf(request), resolveHost);
      if (verdict.kind === 'front') return answerFront(request, response, views, port());
      const resolved =
        verdict.kind === 'bucket' ? views.use(verdict.name, (view) => resolve(web, view)) : undefined;
      const view = resolved?.view;
      const answer: Answer = resolved
        ? resolved.result
        : {
            status: 404,
            headers: [],
            body: { kind: 'notice' },
            reason: 'no-bucket',
            because: verdict.kind === 'unknown' ? verdict.because : 'the bucket is gone',
          };
      const name = view?.name ?? '-';
      if (options.onServed) watch(options.onServed, web, request, response, answer, name, began);
      sendAnswer(options, bodies, web, response, answer, name, view);
    } catch (error) {
      fail(options, response, error);
    }
  };
}

/** A client that went away while its answer was being read from disk. */
function endBroken(this: ServerResponse): void {
  this.destroy();
}

/** The authority of an absolute-form target counts before the Host field (RFC 9112 section 3.2.2). */
const hostOf = (request: IncomingMessage): string | undefined =>
  /^https?:\/\/([^/?#]*)/i.exec(request.url?.startsWith('/') ? '' : (request.url ?? ''))?.[1] ??
  request.headers.host;

function sendAnswer(
  options: HostServerOptions,
  bodies: BodyCache,
  web: WebRequest,
  response: ServerResponse,
  answer: Answer,
  bucket: string,
  view: BucketView | undefined,
): void {
  const headers = options.annotate
    ? [...answer.headers, 'Fenestra-Reason', annotation(answer)]
    : (answer.headers as string[]);
  const { body } = answer;
  if (body.kind === 'notice') return sendNotice(options, web, response, answer, headers, bucket, view);
  if (body.kind === 'none' || web.method === 'HEAD') {
    response.writeHead(
      answer.status,
      body.kind === 'none' && answer.status !== 304 && answer.status !== 204
        ? [...headers, 'Content-Length', '0']
        : headers,
    );
    response.end();
    return;
  }
  const { object, range } = body;
  if (object.size > SMALL)
    return void sendStream(
      options,
      response,
      answer.status,
      headers,
      object,
      range?.start ?? 0,
      range?.end ?? object.size - 1,
    );
  const send = (bytes: Buffer): void => {
    response.writeHead(answer.status, headers);
    response.end(range ? bytes.subarray(range.start, range.end + 1) : bytes);
  };
  const kept = bodies.get(object.digest);
  if (kept) return send(kept);
  response.on('error', endBroken);
  options.hosted.read(object).then(
    (bytes) => {
      bodies.set(object.digest, bytes);
      send(bytes);
    },
    (error: unknown) => fail(options, response, error),
  );
}

async function sendStream(
  options: HostServerOptions,
  response: ServerResponse,
  status: number,
  headers: readonly string[],
  object: StoredObject,
  start: number,
  end: number,
): Promise<void> {
  try {
    response.on('error', endBroken);
    const source = await options.hosted.stream(object, start, end);
    response.writeHead(status, headers as string[]);
    pipeline(source, response, (error) => {
      if (error && systemCode(error) !== 'ERR_STREAM_PREMATURE_CLOSE') options.onFailure?.(error);
    });
  } catch (error) {
    fail(options, response, error);
  }
}

function sendNotice(
  { describeFix }: HostServerOptions,
  web: WebRequest,
  response: ServerResponse,
  answer: Answer,
  headers: readonly string[],
  bucket: string,
  view: BucketView | undefined,
): void {
  const fix = describeFix && decideFix(answer, { bucket, settings: view?.settings });
  const page = Buffer.from(renderNotice(answer, bucket, fix && describeFix(fix)));
  response.writeHead(answer.status, [
    ...headers,
    'Content-Type',
    'text/html; charset=utf-8',
    'Content-Length',
    String(page.length),
  ]);
  response.end(web.method === 'HEAD' ? undefined : page);
}

const annotation = ({ reason, because }: Answer): string =>
  (because === undefined ? reason : `${reason}; ${because}`).replace(/[^\x20-\x7e]/g, '?');

function answerFront(
  request: IncomingMessage,
  response: ServerResponse,
  views: ViewCache,
  port: number,
): void {
  const page = Buffer.from(renderFrontPage(views.buckets(), port));
  const reading = request.method === 'GET' || request.method === 'HEAD';
  const headers = [
    'Content-Type',
    'text/html; charset=utf-8',
    'Cache-Control',
    'no-store',
    'Content-Length',
    String(reading ? page.length : 0),
  ];
  response.writeHead(reading ? 200 : 405, reading ? headers : [...headers, 'Allow', 'GET, HEAD']);
  response.end(request.method === 'GET' ? page : undefined);
}

/** A stored body that is not what was published is never sent: the answer is 500 or, once begun, a cut connection. */
function fail(options: HostServerOptions, response: ServerResponse, error: unknown): void {
  options.onFailure?.(error);
  if (response.headersSent || response.destroyed) return void response.destroy();
  // What happened is for whoever runs the server: it names places on this machine.
  const text =
    error instanceof FenestraError && error.code === 'BODY_DAMAGED'
      ? 'The stored bytes of this object are damaged.\n'
      : 'This cannot be served; the log of the emulation says why.\n';
  response.writeHead(500, [
    'Content-Type',
    'text/plain; charset=utf-8',
    'Content-Length',
    String(Buffer.byteLength(text)),
  ]);
  response.end(text);
}

function watch(
  onServed: (served: Served) => void,
  web: WebRequest,
  request: IncomingMessage,
  response: ServerResponse,
  answer: Answer,
  bucket: string,
  began: number,
): void {
  response.once('close', () => {
    const length = Number(headerOf(answer.headers, 'Content-Length') ?? 0);
    onServed({
      at: Date.now(),
      method: web.method,
      host: request.headers.host ?? '',
      target: web.target,
      bucket,
      status: response.statusCode,
      reason: answer.reason,
      ...(answer.key === undefined ? {} : { key: answer.key }),
      ...(answer.because === undefined ? {} : { because: answer.because }),
      bytes: answer.body.kind === 'object' && web.method !== 'HEAD' ? length : 0,
      milliseconds: performance.now() - began,
      complete: response.writableFinished,
      headers: answer.headers,
    });
  });
}
