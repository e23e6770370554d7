/** Requests to the front and their answers, over HTTP/2 and HTTP/1.1. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  constants,
  type IncomingHttpHeaders,
  type OutgoingHttpHeaders,
  type Http2Session,
  type ServerHttp2Stream,
} from 'node:http2';
import type { Socket } from 'node:net';
import { pipeline, type Readable } from 'node:stream';
import type { FrontRequest } from '../../core/caching/shared-cache.js';
import type { Front } from './front.js';
import type { FrontAnswer } from './front-answer.js';
import { beginRequest, type Connection, type FrontConnections } from './front-connections.js';
import { readFrontUrl } from './front-url.js';
import type { Ledger } from './ledger.js';
import { readRequestBody } from './request-body.js';
import { OWN_VISIT, type Visit, type Visitor } from './visitor.js';

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

/** Looked up once: a session hands its socket out through a gate that is slow. */
const OF_SESSION = new WeakMap<Http2Session, Connection>();
function visitorOfSession(sharing: Sharing, session: Http2Session | undefined): Connection | undefined {
  if (!session) return undefined;
  const known = OF_SESSION.get(session);
  if (known) return known;
  const found = visitorOf(sharing, session.socket as Socket);
  if (found) OF_SESSION.set(session, found);
  return found;
}

/** Over HTTP/2. */
export function answerStream(sharing: Sharing, stream: ServerHttp2Stream, asked: IncomingHttpHeaders): void {
  stream.on('error', destroyBroken);
  const connection = visitorOfSession(sharing, stream.session);
  const visitor = connection ?? OWN_VISIT.visitor;
  const under: UnderWay = { end: beginRequest(connection), giveBack: undefined };
  (stream as Asking)[UNDER_WAY] = under;
  stream.on('close', endUnderWay);
  const method = String(asked[':method']);
  const target = String(asked[':path']);
  const authority = asked[':authority'];
  const again =
    method === 'GET' && authority !== undefined ? sharing.front.again(authority, target, asked) : undefined;
  if (again) return respondOn(sharing, stream, visitor, again);
  const headers = plainHeaders(asked);
  const request: Asked = {
    method,
    authority: authority ?? headers['host'] ?? '',
    target,
    headers,
    visit: {
      visitor,
      isGone: () => stream.closed || stream.destroyed,
      ...(authority === undefined ? {} : { came: { authority, target } }),
    },
    source: HAVE_NO_BODY.has(method) ? undefined : stream,
  };
  pass(sharing, request, (answer) => respondOn(sharing, stream, visitor, answer));
}

/** What is to be done once a stream is closed. */
interface UnderWay {
  readonly end: () => void;
  giveBack: (() => void) | undefined;
}
/** It hangs on the stream itself: a table of streams is what the collector takes long over. */
const UNDER_WAY = Symbol('under way');
interface Asking extends ServerHttp2Stream {
  [UNDER_WAY]?: UnderWay;
}

// One function for all streams: a new one for each is what takes time.
function destroyBroken(this: ServerHttp2Stream): void {
  this.destroy();
}
function endUnderWay(this: Asking): void {
  const under = this[UNDER_WAY];
  under?.end();
  under?.giveBack?.();
}

/** Headers of an answer as HTTP/2 has them; those of one that is given again are made once. */
const STATUS_FIRST = new WeakMap<FrontAnswer, OutgoingHttpHeaders>();
function withStatus(answer: FrontAnswer): OutgoingHttpHeaders {
  let made = STATUS_FIRST.get(answer);
  if (!made) STATUS_FIRST.set(answer, (made = { ':status': answer.status, ...answer.headers }));
  return made;
}

function respondOn(
  { goingOut }: Sharing,
  stream: ServerHttp2Stream,
  visitor: Visitor,
  answer: FrontAnswer,
): void {
  const { body } = answer;
  if (stream.destroyed || stream.closed) return letGo(body);
  if (body === undefined || (Buffer.isBuffer(body) && body.length === 0))
    return stream.respond(withStatus(answer), { endStream: true });
  if (!Buffer.isBuffer(body)) {
    stream.respond(withStatus(answer));
    pipeline(body, stream, () => undefined);
    return;
  }
  const cut = (): void => stream.close(constants.NGHTTP2_ENHANCE_YOUR_CALM);
  const giveBack = goingOut.take({ visitor, bytes: body.length, shared: body, cut });
  if (!giveBack) return stream.respond({ ':status': 503, 'retry-after': '1' }, { endStream: true });
  const under = (stream as Asking)[UNDER_WAY];
  if (under) under.giveBack = giveBack;
  stream.respond(withStatus(answer));
  stream.end(body);
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
