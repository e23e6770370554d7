/**
 * Ends connections on which nothing happens: whose client asks for nothing more, or takes nothing of what it is sent.
 * node:http can watch each for both, with timers that every request pays for; here all are looked at now and then.
 */
import type { Server } from 'node:http';
import type { Socket } from 'node:net';
import { KEPT_FOR } from './bounds.js';
import { stateOf } from './connections.js';

const LOOK_MS = 1000;

/** A connection that waits, as it was when it was first seen so. */
interface Waiting {
  readonly turn: number;
  readonly bytesRead: number;
  /** By the clock of `performance`. */
  readonly since: number;
}

/** @param takingMs milliseconds without a byte taken; a connection may live a quarter longer */
export function endSilent(server: Server, takingMs: number): void {
  const open = new Map<Socket, Waiting | undefined>();
  server.on('connection', (socket: Socket) => {
    open.set(socket, undefined);
    socket.once('close', () => open.delete(socket));
  });
  const looks = [
    setInterval(() => {
      const now = performance.now();
      for (const [socket, before] of open) open.set(socket, lookAtWaiting(socket, before, now));
    }, LOOK_MS),
    setInterval(() => {
      for (const socket of open.keys()) {
        // From here on Node.js watches the connection itself, until this answer is out.
        if (socket.writableLength > 0 && !socket.timeout) socket.setTimeout(takingMs);
      }
    }, takingMs / 4),
  ];
  for (const look of looks) look.unref();
  server.once('close', () => looks.forEach(clearInterval));
}

function lookAtWaiting(socket: Socket, before: Waiting | undefined, now: number): Waiting | undefined {
  const { answering, answered, turn } = stateOf(socket);
  // One that was not asked yet is bounded like a request that does not come whole.
  if (answering || !answered) return undefined;
  const { bytesRead } = socket;
  if (before?.turn !== turn || before.bytesRead !== bytesRead) return { turn, bytesRead, since: now };
  if (now - before.since >= KEPT_FOR * 1000) socket.destroy();
  return before;
}
