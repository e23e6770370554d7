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
const MAX_WAITING = 16;
/** What a client has read of the connection in one go may hold many more small requests; beyond these it is cut. */
const MAX_HELD = 10_000;

/** What is known of a connection. It lies on the connection itself: every answer asks for it a few times. */
interface ConnectionState {
  answering: boolean;
  /** Whether any answer on it is out. */
  answered: boolean;
  /** Requests that wait behind the one that is answered. */
  waiting: number;
  /** Whether it is read no further until fewer wait. */
  paused: boolean;
  /** What is to be said before it ends, once the answers before it are out. */
  finalResponse: string | undefined;
  /** Its place in the order in which connections came or were last answered. */
  turn: number;
}

const STATE = Symbol('connection');
type Connection = Socket & { [STATE]?: ConnectionState };

let turns = 0;

export const stateOf = (socket: Connection): ConnectionState =>
  (socket[STATE] ??= {
    answering: false,
    answered: false,
    waiting: 0,
    paused: false,
    finalResponse: undefined,
    turn: ++turns,
  });

/**
 * An answer that begins only when those before it on its connection are out: HTTP/1.1 is a sequence, and whoever sends
 * requests without reading the answers is to hold one answer's memory and one open file.
 */
export class OrderedResponse<
  Request extends IncomingMessage = IncomingMessage,
> extends ServerResponse<Request> {
  /** Told of it when it is out. */
  logEntry: { write(response: ServerResponse): void } | undefined;
  #begin: (() => void) | undefined;

  /** Whether those before it are out. */
  get isItsTurn(): boolean {
    return this.socket !== null;
  }

  /** Does the work once it is this answer's turn. */
  waitForTurn(request: IncomingMessage, work: () => void): void {
    const { socket } = request;
    const state = stateOf(socket);
    if (state.waiting >= MAX_HELD) return void socket.destroy();
    state.waiting++;
    if (state.waiting > MAX_WAITING) {
      state.paused = true;
      socket.pause();
    }
    this.#begin = () => {
      state.waiting--;
      // node:http may read on after each answer, so what is to stay paused is paused again.
      if (state.waiting > MAX_WAITING) process.nextTick(() => socket.pause());
      else if (state.paused) {
        state.paused = false;
        process.nextTick(() => socket.resume());
      }
      work();
    };
  }

  override assignSocket(socket: Socket): void {
    super.assignSocket(socket);
    stateOf(socket).answering = true;
    const begin = this.#begin;
    this.#begin = undefined;
    begin?.();
  }

  override detachSocket(socket: Socket): void {
    const state = stateOf(socket);
    state.answering = false;
    state.answered = true;
    super.detachSocket(socket);
    // What watched that its answer was taken.
    if (socket.timeout) socket.setTimeout(0);
    // It begins to wait anew.
    state.turn = ++turns;
    if (state.finalResponse !== undefined && state.waiting === 0) endWith(socket, state.finalResponse);
  }
}

/** Keeps a server within bounds. @returns what ends each connection that is being answered once its answers are out */
export function boundConnections(server: Server, { most, mostOfOne }: ConnectionBounds): () => void {
  const open = new Set<Socket>();
  const ofClient = new Map<string, number>();
  server.on('connection', (socket: Socket) => {
    const client = socket.remoteAddress ?? '';
    const count = (ofClient.get(client) ?? 0) + 1;
    open.add(socket);
    stateOf(socket);
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
  return () => {
    for (const socket of open) {
      const state = stateOf(socket);
      if (state.answering) state.finalResponse ??= '';
    }
  };
}

function makeRoom(newest: Socket, open: ReadonlySet<Socket>, counts: (socket: Socket) => boolean): void {
  let longest: Socket | undefined;
  for (const socket of open) {
    const { answering, turn } = stateOf(socket);
    if (socket === newest || socket.destroyed || answering || !counts(socket)) continue;
    if (!longest || turn < stateOf(longest).turn) longest = socket;
  }
  if (longest) longest.destroy();
  else endWith(newest, BUSY);
}

const BUSY =
  'HTTP/1.1 503 Service Unavailable\r\nRetry-After: 1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n';

const LINGER_MS = 1000;

/** Says something and ends a connection, once the answers under way on it are out. */
export function endAfterAnswers(socket: Socket, words: string): void {
  const state = stateOf(socket);
  if (state.answering) state.finalResponse = words;
  else endWith(socket, words);
}

/** Ends a connection whether or not its client does. */
function endWith(socket: Socket, words: string): void {
  const timer = setTimeout(() => socket.destroy(), LINGER_MS).unref();
  socket.once('close', () => clearTimeout(timer));
  socket.once('error', () => socket.destroy());
  socket.end(words);
}
