/**
 * Bounds of what strangers can hold open. A connection that is being answered is left alone; of those that wait for a
 * request, the one that has waited longest gives way to a new one.
 */
import { ServerResponse, type IncomingMessage, type Server } from 'node:http';
import type { Socket } from 'node:net';

export interface ConnectionBounds {
  /** In all. */
  readonly most: number;
  /** Of one client address. */
  readonly mostOfOne: number;
}

/** Most clients open six; a hundred of one address still leave room for others. */
export const boundsOf = (most: number): ConnectionBounds => ({
  most,
  mostOfOne: Math.max(1, Math.ceil(most / 2)),
});

/** Requests of one connection that wait behind the one that is answered, before no more are read. */
const MOST_WAITING = 16;
/** What a client has read of the connection in one go may hold many more small requests; beyond these it is cut. */
const MOST_HELD = 10_000;

const answering = new WeakSet<Socket>();
const waiting = new WeakMap<Socket, number>();
/** Those that are read no further until fewer wait. */
const paused = new WeakSet<Socket>();
/** What is to be said before a connection ends, once the answers before it are out. */
const lastWords = new WeakMap<Socket, string>();
/** The open connections of the server that a connection belongs to. */
const others = new WeakMap<Socket, Set<Socket>>();

/**
 * An answer that begins only when those before it on its connection are out: HTTP/1.1 is a sequence, and whoever sends
 * requests without reading the answers is to hold one answer's memory and one open file.
 */
export class OrderedResponse<
  Request extends IncomingMessage = IncomingMessage,
> extends ServerResponse<Request> {
  /** Whether somebody is told of it when it is out. */
  isWatched = false;
  #begin: (() => void) | undefined;

  /** Does the work at once, or when it is this answer's turn. */
  inTurn(request: IncomingMessage, work: () => void): void {
    if (this.socket) return work();
    const { socket } = request;
    const held = (waiting.get(socket) ?? 0) + 1;
    if (held > MOST_HELD) return void socket.destroy();
    waiting.set(socket, held);
    if (held > MOST_WAITING) {
      paused.add(socket);
      socket.pause();
    }
    this.#begin = () => {
      const left = (waiting.get(socket) ?? 1) - 1;
      waiting.set(socket, left);
      // node:http may read on after each answer, so what is to stay paused is paused again.
      if (left > MOST_WAITING) process.nextTick(() => socket.pause());
      else if (paused.delete(socket)) process.nextTick(() => socket.resume());
      work();
    };
  }

  override assignSocket(socket: Socket): void {
    super.assignSocket(socket);
    answering.add(socket);
    const begin = this.#begin;
    this.#begin = undefined;
    begin?.();
  }

  override detachSocket(socket: Socket): void {
    answering.delete(socket);
    super.detachSocket(socket);
    // It begins to wait anew.
    const open = others.get(socket);
    if (open?.delete(socket) === true) open.add(socket);
    const words = lastWords.get(socket);
    if (words !== undefined && (waiting.get(socket) ?? 0) === 0) endWith(socket, words);
  }
}

/** Keeps a server within bounds. */
export function boundConnections(server: Server, { most, mostOfOne }: ConnectionBounds): void {
  /** In the order in which they came or were last answered. */
  const open = new Set<Socket>();
  const ofClient = new Map<string, number>();
  server.on('connection', (socket: Socket) => {
    const client = socket.remoteAddress ?? '';
    const count = (ofClient.get(client) ?? 0) + 1;
    open.add(socket);
    others.set(socket, open);
    ofClient.set(client, count);
    socket.once('close', () => {
      open.delete(socket);
      const left = (ofClient.get(client) ?? 1) - 1;
      if (left === 0) ofClient.delete(client);
      else ofClient.set(client, left);
    });
    if (count > mostOfOne) makeRoom(socket, open, ({ remoteAddress }) => remoteAddress === client);
    else if (open.size > most) makeRoom(socket, open, () => true);
  });
}

function makeRoom(newest: Socket, open: ReadonlySet<Socket>, counts: (socket: Socket) => boolean): void {
  for (const socket of open) {
    if (socket === newest || socket.destroyed || answering.has(socket) || !counts(socket)) continue;
    socket.destroy();
    return;
  }
  endWith(newest, BUSY);
}

const BUSY =
  'HTTP/1.1 503 Service Unavailable\r\nRetry-After: 1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n';

const LINGER_MS = 1000;

/** Says something and ends a connection, once the answers under way on it are out. */
export function endAfterAnswers(socket: Socket, words: string): void {
  if (answering.has(socket)) lastWords.set(socket, words);
  else endWith(socket, words);
}

/** Ends a connection whether or not its client does. */
function endWith(socket: Socket, words: string): void {
  const timer = setTimeout(() => socket.destroy(), LINGER_MS).unref();
  socket.once('close', () => clearTimeout(timer));
  socket.once('error', () => socket.destroy());
  socket.end(words);
}
