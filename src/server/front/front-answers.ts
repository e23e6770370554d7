/** Requests to the front and their answers, over HTTP/2 and HTTP/1.1. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { constants, type IncomingHttpHeaders, type ServerHttp2Stream } from 'node:http2';
import type { Socket } from 'node:net';
import { pipeline, type Readable } from 'node:stream';
import type { FrontRequest } from '../../core/caching/shared-cache.js';
import type { Front, FrontAnswer } from './front.js';
import { beginRequest, type Connection, type FrontConnections } from './front-connections.js';
import { readFrontUrl } from './front-url.js';
import type { Ledger } from './ledger.js';
import { readRequestBody } from './request-body.js';
import { OWN_VISIT, type Visit } from './visitor.js';

/** What all connections share. */
export interface Sharing {
  readonly front: Front;
  readonly connections: FrontConnections;
  readonly goingOut: Ledger;
  readonly comingIn: Ledger;
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

/** Over HTTP/2. */
export function answerStream(sharing: Sharing, stream: ServerHttp2Stream, asked: IncomingHttpHeaders): void {
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

/** Over HTTP/1.1. */
export function answerMessage(sharing: Sharing, message: IncomingMessage, response: ServerResponse): void {
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
