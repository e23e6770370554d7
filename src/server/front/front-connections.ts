/**
 * Bounds of what strangers hold open at the front, as the buckets' own server has them: one that does nothing gives way
 * to a new one, and none stays that asks for nothing or takes nothing.
 */
import type { Socket } from 'node:net';
import type { Visitor } from './visitor.js';

export interface Connection extends Visitor {
  readonly socket: Socket;
  /** Requests on it that are not answered yet. */
  open: number;
  hasAsked: boolean;
  /** When it last did what it is for, by the clock of `performance`. */
  useful: number;
  /** Bytes that had been written to it at the last look. */
  written: number;
}

const LOOK_MS = 1000;
/** Milliseconds for the first request to be whole, between requests, and without a part of an answer being taken. */
const [FIRST_MS, IDLE_MS, STALLED_MS] = [10_000, 60_000, 30_000];
/** Milliseconds after which one that is being answered may give way. */
const GIVES_WAY_MS = 1000;
/** Less than this in a second is no taking. Bytes. */
const TAKEN = 1024;

export class FrontConnections {
  readonly #open = new Map<string, Connection>();
  readonly #most: number;
  readonly #looks: NodeJS.Timeout;

  /** @param most in all; half of them from one address */
  constructor(most: number) {
    this.#most = most;
    this.#looks = setInterval(() => this.#look(), LOOK_MS);
    this.#looks.unref();
  }

  add(socket: Socket): void {
    const { remoteAddress: address = '' } = socket;
    const connection: Connection = {
      address,
      socket,
      open: 0,
      hasAsked: false,
      useful: performance.now(),
      written: 0,
    };
    const id = idOf(socket);
    this.#open.set(id, connection);
    socket.once('close', () => this.#open.delete(id)).on('error', () => socket.destroy());
    const own = [...this.#open.values()].filter((each) => each.address === address);
    if (own.length > Math.ceil(this.#most / 2)) makeRoom(connection, own);
    else if (this.#open.size > this.#most) makeRoom(connection, [...this.#open.values()]);
  }

  /** The connection that a TLS socket or a session goes over. */
  find(socket: Pick<Socket, 'remoteAddress' | 'remotePort'>): Connection | undefined {
    return this.#open.get(idOf(socket));
  }

  #look(): void {
    const now = performance.now();
    for (const each of this.#open.values()) {
      const { socket, open, hasAsked, written } = each;
      if (socket.bytesWritten - written >= TAKEN && open > 0 && hasAsked) each.useful = now;
      each.written = socket.bytesWritten;
      if (now - each.useful > (open > 0 ? STALLED_MS : hasAsked ? IDLE_MS : FIRST_MS)) socket.destroy();
    }
  }

  /** Ends all of them. @param graceMs for what is being written */
  close(graceMs: number): void {
    clearInterval(this.#looks);
    for (const { socket } of this.#open.values()) socket.destroySoon();
    setTimeout(() => {
      for (const { socket } of this.#open.values()) socket.destroy();
    }, graceMs).unref();
  }
}

/** TLS wraps the socket of a connection in another one with the same far end. */
const idOf = ({ remoteAddress, remotePort }: Pick<Socket, 'remoteAddress' | 'remotePort'>): string =>
  `${remoteAddress ?? ''} ${remotePort ?? 0}`;

/**
 * One gives way that is worth less than a new one may be. Half of the room is for those that have not asked yet: beyond it
 * the oldest of them goes, one that has said nothing at all before one that has. Otherwise the one goes that has been of no
 * use for longest, be it that it asks for nothing or that it takes nothing; where all are of use, one that has not asked.
 */
function makeRoom(newest: Connection, among: readonly Connection[]): void {
  const others = among.filter((each) => each !== newest && !each.socket.destroyed);
  const fresh = others.filter(({ hasAsked }) => !hasAsked);
  const mute = fresh.filter(({ socket }) => socket.bytesRead === 0);
  const unasked = mute.length > 0 ? mute : fresh;
  const idle = others.filter(({ hasAsked, useful }) => hasAsked && performance.now() - useful > GIVES_WAY_MS);
  const isCrowded = fresh.length * 2 > others.length;
  const from = isCrowded || idle.length === 0 ? unasked : idle;
  const [longest = newest] = from.sort((a, b) => a.useful - b.useful);
  longest.socket.destroy();
}

/** A request on a connection is under way. @returns to be called once it is over, however */
export function beginRequest(connection: Connection | undefined): () => void {
  if (!connection) return () => undefined;
  connection.open++;
  connection.hasAsked = true;
  let isOpen = true;
  return () => {
    if (!isOpen) return;
    isOpen = false;
    connection.open--;
    connection.useful = performance.now();
  };
}
