/**
 * Ends connections whose client takes nothing of what it is sent. node:http can watch every request for that, which
 * costs each of them; here the few connections with unsent bytes are looked for now and then.
 */
import type { Server } from 'node:http';
import type { Socket } from 'node:net';

/** @param timeoutMs milliseconds without a byte taken; a connection may live a quarter longer */
export function endSlowReaders(server: Server, timeoutMs: number): void {
  const open = new Set<Socket>();
  server.on('connection', (socket: Socket) => {
    open.add(socket);
    socket.once('close', () => open.delete(socket));
  });
  const timer = setInterval(() => {
    for (const socket of open) {
      // From here on Node.js watches the connection itself, and lets go of it when its next request comes.
      if (socket.writableLength > 0 && !socket.timeout) socket.setTimeout(timeoutMs);
    }
  }, timeoutMs / 4).unref();
  server.once('close', () => clearInterval(timer));
}
